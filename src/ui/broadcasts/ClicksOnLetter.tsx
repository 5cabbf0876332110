'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { MessageReport, RenderView } from '@/core/api';
import type { Step } from '@/core/flows';
import { byDay } from '@/core/letters';
import { api, Empty, Failed, plural, sayCount, sayShare } from '../kit';

/** The letter as it went out, with how many of those who got it followed each link, written on it; the same as a list beside it. */
export function ClicksOnLetter({ flowKey, step, of }: { flowKey: string; step: Step | undefined; of: number }) {
  const message = step?.kind === 'send' ? step.message : null;
  const letter = useQuery({
    queryKey: ['rendered', message, '', null],
    queryFn: () => api<RenderView>('/messages/render', { method: 'POST', body: { message, person: { firstName: 'Robin' }, event: {} } }),
    enabled: message?.channel === 'email',
    retry: false,
  });
  const report = useQuery({
    queryKey: ['message-report', flowKey, step?.id],
    queryFn: () => api<MessageReport>(`/flows/${flowKey}/report/${step!.id}?from=2020-01-01`),
    enabled: step !== undefined,
  });
  const links = report.data?.links;
  const html = useMemo(() => (letter.data && links ? withClicks(byDay(letter.data.html), links, of) : null), [letter.data, links, of]);
  const error = letter.error ?? report.error;
  if (error) return <Failed error={error} />;
  if (!links || (message?.channel === 'email' && html === null)) return <Empty title="Loading…" />;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_240px] gap-4">
      {html ? (
        <iframe
          title="The letter with its clicks"
          sandbox=""
          srcDoc={html}
          className="h-[480px] w-full rounded-md border border-line bg-white"
        />
      ) : (
        <p className="text-soft">A text has no picture: its links stand at the right.</p>
      )}
      <section aria-label="Links">
        {links.length ? (
          <ul className="grid gap-2">
            {links.map((link) => (
              <li key={link.url} className="grid gap-0.5">
                <span className="break-all text-xs text-soft" title={link.url}>
                  {link.url}
                  {link.different > 1 && ` (${plural(link.different, 'address', 'addresses')})`}
                </span>
                <span className="tabular">
                  <b>{sayCount(link.people)}</b> {link.people === 1 ? 'person' : 'people'}, {sayShare(link.people, of)}
                </span>
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-soft">Nobody has followed a link yet.</p>
        )}
      </section>
    </div>
  );
}

const MARK =
  'display:inline-block;margin-left:4px;padding:0 6px;border:2px solid #8B2635;border-radius:6px;background:#fff;color:#8B2635;' +
  'font:600 12px/18px sans-serif;vertical-align:middle';

/** A letter's HTML with a mark at each link that was followed. Links of many addresses are known by what is before their last part. */
function withClicks(html: string, links: MessageReport['links'], of: number): string {
  const page = new DOMParser().parseFromString(html, 'text/html');
  for (const one of page.querySelectorAll<HTMLAnchorElement>('a[href]')) {
    const href = one.getAttribute('href') ?? '';
    const link = links.find(({ url }) => url === href || (url.endsWith('…') && href.startsWith(url.slice(0, -1))));
    if (!link) continue;
    one.style.outline = '2px solid #8B2635';
    const mark = page.createElement('span');
    mark.textContent = `${sayCount(link.people)} · ${sayShare(link.people, of) ?? ''}`;
    mark.style.cssText = MARK;
    one.after(mark);
  }
  return page.documentElement.outerHTML;
}
