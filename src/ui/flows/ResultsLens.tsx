'use client';

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { FlowReport, FlowView, MessageReport, VersionView } from '@/core/api';
import { planOf, sayStep } from '@/core/flows';
import { sayMoney } from '@/core/money';
import { DAY } from '@/core/time';
import { api, AsTable, Bars, Failed, isoOf, plural, sayCount, sayDate, sayShare, useStoreTime } from '../kit';
import { type FigureLine, type MapLayer } from '../map';
import { ArmResults } from './ArmResults';
import { TestResults } from './TestResults';
import { Part } from './fields';
import type { Fold } from './Stage';
import type { StepActs } from './useStepActs';
import { Viewed } from './Viewed';
import { drawnWidths } from './widths';

const PERIODS = [7, 30, 90, 365] as const;

interface Period {
  readonly days: (typeof PERIODS)[number];
  readonly version: number | null;
}

/** What came of a flow in a period: figures at each stop, lanes as wide as the share of people who took them, against the period before. */
export default function ResultsLens({ flow, acts, fold }: { flow: FlowView; acts: StepActs; fold: Fold }) {
  const now = useStoreTime();
  const [period, setPeriod] = useState<Period>({ days: 30, version: null });
  // the same moment for both, and for a while: figures that move while they are read cannot be compared
  const [until] = useState(() => now());
  const asked = (to: number) =>
    new URLSearchParams({
      from: isoOf(to - period.days * DAY),
      to: isoOf(to),
      ...(period.version !== null && { version: String(period.version) }),
    }).toString();
  const read = (to: number) => api<FlowReport>(`/flows/${flow.key}/report?${asked(to)}`);
  const report = useQuery({
    queryKey: ['results', flow.key, period, until],
    queryFn: () => read(until),
    placeholderData: keepPreviousData,
  });
  const before = useQuery({
    queryKey: ['results', flow.key, period, until, 'before'],
    queryFn: () => read(until - period.days * DAY),
    placeholderData: keepPreviousData,
  });
  const versions = useQuery({
    queryKey: ['versions', flow.key, flow.version],
    queryFn: () => api<{ versions: VersionView[] }>(`/flows/${flow.key}/versions`),
  });
  const shown = useQuery({
    queryKey: ['version', flow.key, period.version],
    queryFn: () => api<FlowView['draft']>(`/flows/${flow.key}/versions/${period.version}`),
    enabled: period.version !== null && period.version !== flow.version,
  });
  const document = (period.version !== null && period.version !== flow.version && shown.data) || flow.published!;
  const layer = useMemo(() => layerOf(document, report.data ?? null), [document, report.data]);
  return (
    <Viewed
      document={document}
      acts={acts}
      fold={fold}
      layer={layer}
      name="Results"
      foot={
        <div className="flex flex-wrap items-center gap-4 border-t border-line px-3 py-2" role="group" aria-label="Period">
          <div className="flex rounded-md border border-line" role="radiogroup" aria-label="How long">
            {PERIODS.map((days) => (
              <button
                key={days}
                type="button"
                role="radio"
                aria-checked={period.days === days}
                onClick={() => setPeriod({ ...period, days })}
                className={`h-8 px-3 first:rounded-l-[5px] last:rounded-r-[5px] ${period.days === days ? 'bg-ink font-semibold text-paper' : 'hover:bg-wash'}`}
              >
                {days} days
              </button>
            ))}
          </div>
          <label className="flex items-center gap-2">
            <span className="text-xs font-semibold text-soft">Version</span>
            <select
              value={period.version ?? ''}
              onChange={(event) => setPeriod({ ...period, version: event.target.value ? Number(event.target.value) : null })}
              className="h-8 rounded-md border border-line bg-panel px-2"
            >
              <option value="">all of them</option>
              {versions.data?.versions.map(({ version }) => (
                <option key={version} value={version}>
                  {version}
                  {version === flow.version ? ' (on)' : ''}
                </option>
              ))}
            </select>
          </label>
          <p className="text-xs text-soft">
            Revenue by last click within 7 days, else last opened within 2 days. Against the {period.days} days before.
          </p>
        </div>
      }
      pane={
        report.error ? (
          <Failed error={report.error} retry={() => void report.refetch()} />
        ) : report.data ? (
          <Shown
            flow={flow}
            document={document}
            selected={acts.selected}
            report={report.data}
            before={before.data ?? null}
            asked={asked(until)}
            onAll={() => acts.select('trigger')}
          />
        ) : (
          <p className="text-soft">Counting…</p>
        )
      }
    />
  );
}

/** The figures of what is selected: the flow as a whole, a message, or the arms of a step. */
function Shown({
  flow,
  document,
  selected,
  report,
  before,
  asked,
  onAll,
}: {
  flow: FlowView;
  document: FlowView['draft'];
  selected: string;
  report: FlowReport;
  before: FlowReport | null;
  asked: string;
  onAll: () => void;
}) {
  const step = planOf(document).steps.get(selected);
  const figures = report.steps.find((one) => one.id === selected);
  const was = before?.steps.find((one) => one.id === selected) ?? null;
  const all = step && (
    <button type="button" className="justify-self-start text-accent underline" onClick={onAll}>
      Show the whole flow
    </button>
  );
  if (step?.kind === 'send' && figures)
    return (
      <div className="grid gap-4">
        <Part title={sayStep(step)}>
          <Compared
            rows={[
              ['Sent', figures.sent, was?.sent],
              ['Delivered', figures.delivered, was?.delivered, figures.sent, was?.sent],
              ['Bounced', figures.bounced, was?.bounced, figures.sent, was?.sent],
              ['Opened', figures.opened, was?.opened, figures.sent, was?.sent],
              ['Clicked', figures.clicked, was?.clicked, figures.sent, was?.sent],
              ['Skipped', figures.skipped, was?.skipped],
              ['Orders', figures.orders, was?.orders, figures.sent, was?.sent],
            ]}
            revenue={figures.revenue}
            was={was?.revenue}
            per={figures.sent}
            wasPer={was?.sent}
            noun="message"
          />
          {all}
        </Part>
        <Message flow={flow} step={selected} asked={asked} />
      </div>
    );
  if (step && figures?.arms)
    return (
      <div className="grid gap-4">
        <Part title={sayStep(step)}>
          {step.kind === 'test' ? (
            <TestResults flow={flow.key} step={step.id} />
          ) : (
            <ArmResults
              noun="Path"
              metric={document.goal && 'Goal'}
              rows={figures.arms.map(({ goal: count, ...arm }) => ({ ...arm, count }))}
            />
          )}
          {all}
        </Part>
      </div>
    );
  if (step)
    return (
      <Part title={sayStep(step)}>
        <p className="text-soft">There are no figures of this step. Choose a message, a branch or a test.</p>
        {all}
      </Part>
    );
  const { left } = report;
  return (
    <div className="grid gap-4">
      <Part title={`From ${sayDate(report.from, 'UTC')} to ${sayDate(report.to, 'UTC')}`}>
        <Compared
          rows={[
            ['Entered', report.entered, before?.entered],
            ['Goal reached', report.goalReached, before?.goalReached, report.entered, before?.entered],
            ['Sent', report.sent, before?.sent],
            ['Opened', report.opened, before?.opened, report.sent, before?.sent],
            ['Clicked', report.clicked, before?.clicked, report.sent, before?.sent],
            ['Orders', report.orders, before?.orders],
          ]}
          revenue={report.revenue}
          was={before?.revenue}
          per={report.entered}
          wasPer={before?.entered}
          noun="person"
        />
      </Part>
      <Part title="How they came out">
        <dl className="tabular">
          {[
            ['Went through to the end', plural(report.completed, 'person', 'people')],
            ['Left as the goal was reached', plural(left.goal, 'person', 'people')],
            ['Left as they stopped belonging in it', plural(left.stayRule, 'person', 'people')],
            ['What had started it was taken back', plural(left.undone, 'person', 'people')],
            ['Did not enter', plural(left.notEntered, 'person', 'people')],
            ['Inside now', plural(report.inside, 'person', 'people')],
          ].map(([term, says]) => (
            <div key={term} className="flex justify-between gap-2 border-b border-line py-1">
              <dt>{term}</dt>
              <dd className="whitespace-nowrap">{says}</dd>
            </div>
          ))}
        </dl>
      </Part>
    </div>
  );
}

type Row = readonly [name: string, now: number, was: number | undefined, of?: number, wasOf?: number | undefined];

/** Figures beside those of the period before. */
function Compared({
  rows,
  revenue,
  was,
  per,
  wasPer,
  noun,
}: {
  rows: readonly Row[];
  revenue: FlowReport['revenue'];
  was: FlowReport['revenue'] | undefined;
  per: number;
  wasPer: number | undefined;
  noun: string;
}) {
  const each = (money: FlowReport['revenue'], by: number) => sayMoney({ ...money, minor: Math.round(money.minor / by) });
  return (
    <table className="w-full tabular">
      <thead>
        <tr className="text-left text-xs text-soft">
          <th className="font-normal" />
          <th className="text-right font-normal">now</th>
          <th className="text-right font-normal">before</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, count, before, of, wasOf]) => (
          <tr key={name} className="border-t border-line">
            <th scope="row" className="py-1 text-left font-normal">
              {name}
            </th>
            <td className="text-right">
              <b>{sayCount(count)}</b>
              {of !== undefined && of > 0 && <span className="block text-xs text-soft">{sayShare(count, of)}</span>}
            </td>
            <td className="text-right text-soft">
              {before === undefined ? '…' : sayCount(before)}
              {wasOf !== undefined && wasOf > 0 && before !== undefined && <span className="block text-xs">{sayShare(before, wasOf)}</span>}
            </td>
          </tr>
        ))}
        <tr className="border-t border-line">
          <th scope="row" className="py-1 text-left font-normal">
            Revenue
          </th>
          <td className="text-right">
            <b>{sayMoney(revenue)}</b>
            {per > 0 && (
              <span className="block text-xs text-soft">
                {each(revenue, per)} a {noun}
              </span>
            )}
          </td>
          <td className="text-right text-soft">
            {was ? sayMoney(was) : '…'}
            {was && wasPer ? (
              <span className="block text-xs">
                {each(was, wasPer)} a {noun}
              </span>
            ) : null}
          </td>
        </tr>
      </tbody>
    </table>
  );
}

/** Hours after a message went out, in steps that grow. */
const AFTER = [0, 1, 2, 3, 6, 12, 24, 48, 72, 168] as const;
const sayAfter = (index: number): string =>
  AFTER[index + 1] === undefined
    ? 'after a week or more'
    : index === 0
      ? 'within the first hour'
      : `${AFTER[index]} to ${AFTER[index + 1]} hours after it went out`;

/** More of one message: its versions, its links, when it was opened. */
function Message({ flow, step, asked }: { flow: FlowView; step: string; asked: string }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['message-results', flow.key, step, asked],
    queryFn: () => api<MessageReport>(`/flows/${flow.key}/report/${step}?${asked}`),
  });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <p className="text-soft">Counting…</p>;
  const opened = data.openedAfter.reduce((sum, one) => sum + one.people, 0);
  const after = AFTER.map((from, index) => ({
    from,
    people: data.openedAfter
      .filter(({ hour }) => hour >= from && hour < (AFTER[index + 1] ?? Infinity))
      .reduce((sum, one) => sum + one.people, 0),
  }));
  const at = Array.from({ length: 24 }, (_, hour) => ({ hour, people: data.openedAt.find((one) => one.hour === hour)?.people ?? 0 }));
  const clock = (hour: number) => `${String(hour).padStart(2, '0')}:00`;
  return (
    <>
      {data.forms.some(({ id }) => id !== null) && (
        <Part title="By version">
          <table className="w-full tabular">
            <thead>
              <tr className="text-xs text-soft">
                <th className="text-left font-normal">Version</th>
                <th className="text-right font-normal">sent</th>
                <th className="text-right font-normal">opened</th>
                <th className="text-right font-normal">clicked</th>
              </tr>
            </thead>
            <tbody>
              {data.forms.map((form) => (
                <tr key={form.id ?? ''} className="border-t border-line">
                  <td className="py-1">{form.name ?? 'for everybody else'}</td>
                  <td className="text-right">{sayCount(form.sent)}</td>
                  <td className="text-right">{sayShare(form.opened, form.sent) ?? '–'}</td>
                  <td className="text-right">{sayShare(form.clicked, form.sent) ?? '–'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Part>
      )}
      <Part title="Links">
        {data.links.length ? (
          <ul>
            {data.links.map((link) => (
              <li key={link.url} className="flex gap-2 border-b border-line py-1">
                <span className="min-w-0 flex-1 truncate" title={link.url}>
                  {link.url.replace(/^https?:\/\//, '')}
                </span>
                <span className="whitespace-nowrap text-right tabular">
                  {plural(link.people, 'person', 'people')}
                  {link.different > 1 && <span className="block text-xs text-soft">{sayCount(link.different)} addresses</span>}
                </span>
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-soft">No link was followed in this time.</p>
        )}
      </Part>
      {opened > 0 && (
        <>
          <Part title="How long until it is opened">
            <Bars
              name="Openings by time since it went out"
              sum={`${sayShare(after[0]!.people, opened)} of ${plural(opened, 'opening', 'openings')} within the first hour`}
              bars={after.map(({ from, people }, index) => ({
                key: String(from),
                value: people,
                says: `${plural(people, 'person', 'people')} ${sayAfter(index)}`,
                label: from === 0 ? '0 h' : from >= 24 ? `${from / 24} d` : `${from} h`,
              }))}
            />
          </Part>
          <Part title="At which hours it is opened">
            <Bars
              name="Openings by hour of the day"
              sum="By the store’s clock"
              colour="var(--lane-1)"
              bars={at.map(({ hour, people }) => ({
                key: String(hour),
                value: people,
                says: `${clock(hour)} to ${clock((hour + 1) % 24)}: ${plural(people, 'person', 'people')}`,
                label: hour % 6 === 0 ? clock(hour) : undefined,
              }))}
            />
            <AsTable
              name="Openings by hour"
              rows={at}
              keyOf={({ hour }) => String(hour)}
              columns={[
                { key: 'hour', name: 'Hour', value: ({ hour }) => hour, show: ({ hour }) => clock(hour) },
                { key: 'people', name: 'People', isNumber: true, value: ({ people }) => people },
              ]}
            />
          </Part>
        </>
      )}
    </>
  );
}

/** A share in whole per cent: on the map there is room for no more. */
const inShort = (part: number, of: number) => (of ? `${Math.round((100 * part) / of)} %` : 'none');

function layerOf(document: FlowView['draft'], report: FlowReport | null): MapLayer {
  const height = 76;
  if (!report) return { height };
  const lines = new Map<string, readonly FigureLine[]>([
    [
      'entry',
      [
        { text: sayCount(report.entered), tone: 'strong' },
        { text: report.entered === 1 ? 'person' : 'people', tone: 'plain' },
      ],
    ],
  ]);
  const arms = new Map<string, string>();
  const people = new Map<string, number>();
  for (const step of report.steps) {
    if (step.kind === 'send')
      lines.set(step.id, [
        { text: `${sayCount(step.sent)} sent`, tone: 'strong' },
        { text: `${inShort(step.opened, step.sent)} open`, tone: 'soft' },
        { text: `${inShort(step.clicked, step.sent)} click`, tone: 'soft' },
        { text: plural(step.orders, 'order', 'orders'), tone: 'plain' },
        { text: sayMoney(step.revenue), tone: 'strong' },
      ]);
    for (const arm of step.arms ?? []) {
      arms.set(arm.id, plural(arm.people, 'person', 'people'));
      people.set(arm.id, arm.people);
    }
  }
  return { height, lines, arms, widths: drawnWidths(document, people, report.entered) };
}
