import type { Value } from '../rules';
import { safeUrl } from '../text';
import { isCurrency, sayMoney, toMinor } from '../money';
import { namesCode, type Block, type Email, type Message, type Push, type Sms } from './message';
import { personalise, type Personal } from './personalise';

/** A message as it goes out. Of a text message the subject is how it begins, of one on a locked screen its title; they have no HTML. */
export interface Rendered {
  readonly subject: string;
  readonly html: string;
  readonly text: string;
  /** where a message on a locked screen leads */
  readonly url?: string;
}

/** Where a rendered email's links lead. `track` wraps a link so that a click on it is counted. */
export interface Links {
  readonly unsubscribeUrl: string;
  /** where somebody chooses channels, topics or a pause; left out where there is no such page */
  readonly preferencesUrl?: string;
  readonly pixelUrl: string | null;
  readonly track: (url: string) => string;
}

export interface CartItem {
  readonly name: string;
  readonly quantity: number;
  readonly price: number | null;
  readonly url: string | null;
  readonly image: string | null;
}

/** Escapes a text for HTML content and quoted attributes. */
export function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[c]!);
}

/** Reads the items of a cart event; what is not an item is left out. */
export function cartItems(properties: { readonly [name: string]: Value }): CartItem[] {
  const { items } = properties;
  if (!Array.isArray(items)) return [];
  return items.flatMap((item: Value) => {
    if (item === null || typeof item !== 'object' || Array.isArray(item)) return [];
    const one = item as { readonly [name: string]: Value };
    const name = typeof one.name === 'string' && one.name ? one.name : typeof one.sku === 'string' ? one.sku : null;
    if (!name) return [];
    return [
      {
        name,
        quantity: typeof one.quantity === 'number' ? one.quantity : 1,
        price: typeof one.price === 'number' ? one.price : null,
        url: safeUrl(one.url),
        image: safeUrl(one.image),
      },
    ];
  });
}

const INK = '#1F2328';
const MUTED = '#5B6068';
const ACCENT = '#8B2635';
const FONT = "font-family:'Helvetica Neue',Helvetica,Arial,sans-serif";
/** How wide a picture is drawn at most: a letter is 560 pixels wide, with 28 to either side. */
const WIDEST_PICTURE = 504;
const oneLine = (text: string) => text.replace(/[\r\n]+/g, ' ').trim();

/** Renders a message for one person, by its channel. */
export function renderMessage(message: Message, personal: Personal, links: Links): Rendered {
  switch (message.channel) {
    case 'email':
      return renderEmail(message, personal, links);
    case 'sms':
      return renderSms(message, personal, links);
    case 'push':
      return renderPush(message, personal, links);
  }
}

/** What a marketing text says at its end, where it does not say it itself: how to get no more (common practice). */
const HOW_TO_STOP = 'Reply STOP to end.';
const ADDRESS = /https?:\/\/[^\s<>"]+[^\s<>".,;:!?)\]]/g;

function renderSms(message: Sms, personal: Personal, links: Links): Rendered {
  const filled = personalise(message.text, personal).trim();
  const text = filled.replace(ADDRESS, (url) => {
    const safe = safeUrl(url);
    return safe ? links.track(safe) : url;
  });
  const says = message.kind === 'marketing' && !/\bSTOP\b/.test(text) ? `${text}\n${HOW_TO_STOP}` : text;
  return { subject: oneLine(filled).slice(0, 80), html: '', text: says };
}

function renderPush(message: Push, personal: Personal, links: Links): Rendered {
  const url = safeUrl(personalise(message.url, personal).trim());
  return {
    subject: oneLine(personalise(message.title, personal)),
    html: '',
    text: personalise(message.text, personal).trim(),
    ...(url && { url: links.track(url) }),
  };
}

/** An email for one person: subject, an HTML part that mail programs can show, and a text part that says the same. */
function renderEmail(message: Email, personal: Personal, links: Links): Rendered {
  const fill = (text: string) => personalise(text, personal);
  const currency = typeof personal.event.currency === 'string' && isCurrency(personal.event.currency) ? personal.event.currency : null;
  const money = (major: number) => (currency ? sayMoney({ currency, minor: toMinor(major, currency) }) : major.toFixed(2));
  const rows: string[] = [];
  const lines: string[] = [];

  const render = (block: Block): void => {
    // what tells of a code is nothing for who has none
    if (!personal.offer && block.kind !== 'button' && namesCode(block)) return;
    switch (block.kind) {
      case 'text': {
        const text = fill(block.text).trim();
        if (!text) return;
        rows.push(
          row(
            text
              .split(/\n{2,}/)
              .map(
                (p) =>
                  `<p style="margin:0 0 14px;${FONT};font-size:15px;line-height:23px;color:${INK}">${escapeHtml(p).replace(/\n/g, '<br>')}</p>`,
              )
              .join(''),
          ),
        );
        lines.push(text);
        return;
      }
      case 'heading': {
        const text = oneLine(fill(block.text));
        if (!text) return;
        rows.push(row(`<h2 style="margin:6px 0 10px;${FONT};font-size:20px;line-height:26px;color:${INK}">${escapeHtml(text)}</h2>`));
        lines.push(`${text}\n${'-'.repeat(Math.min(60, text.length))}`);
        return;
      }
      case 'divider':
        rows.push(row('<hr style="margin:6px 0 14px;border:0;border-top:1px solid #DDD8CC">'));
        lines.push('---');
        return;
      case 'picture': {
        const source = safeUrl(fill(block.url).trim());
        if (!source) return;
        const alt = oneLine(fill(block.alt));
        const leads = block.link === undefined ? null : safeUrl(fill(block.link).trim());
        const target = leads && links.track(leads);
        const look = `display:block;width:100%;max-width:${WIDEST_PICTURE}px;height:auto;border:0;${FONT};font-size:14px;color:${MUTED}`;
        const picture = `<img src="${escapeHtml(source)}" width="${WIDEST_PICTURE}" alt="${escapeHtml(alt)}" style="${look}">`;
        const shown = target ? `<a href="${escapeHtml(target)}">${picture}</a>` : picture;
        rows.push(row(`<div style="margin:0 0 14px">${shown}</div>`));
        if (alt || target) lines.push([alt && `[${alt}]`, target].filter(Boolean).join(' '));
        return;
      }
      case 'offer': {
        const text = fill(block.text).trim();
        if (!text) return;
        const look = `margin:0 0 18px;padding:12px 16px;border:1px dashed ${ACCENT};${FONT};font-size:15px;line-height:22px;color:${ACCENT}`;
        rows.push(row(`<p style="${look}">${escapeHtml(text).replace(/\n/g, '<br>')}</p>`));
        lines.push(`* ${text}`);
        return;
      }
      case 'button': {
        const url = safeUrl(fill(block.url).trim());
        if (!url) return;
        const target = links.track(url);
        const label = fill(block.label);
        const look =
          `display:inline-block;background:${ACCENT};color:#ffffff;${FONT};font-size:15px;font-weight:bold;line-height:20px;` +
          'padding:12px 22px;border-radius:6px;text-decoration:none';
        rows.push(row(`<p style="margin:6px 0 20px"><a href="${escapeHtml(target)}" style="${look}">${escapeHtml(label)}</a></p>`));
        lines.push(`${label}: ${target}`);
        return;
      }
      case 'cart': {
        const items = cartItems(personal.event);
        if (!items.length) return;
        rows.push(row(cartTable(items, money, links.track)));
        lines.push(
          items
            .map(
              (item) =>
                `- ${item.quantity} × ${item.name}${item.price !== null ? `, ${money(item.price)}${item.quantity === 1 ? '' : ' each'}` : ''}`,
            )
            .join('\n'),
        );
        return;
      }
    }
  };
  message.blocks.forEach(render);

  const subject = oneLine(fill(message.subject));
  const preview = oneLine(fill(message.preview));
  const { store } = personal;
  const why = `You get this because you agreed to news from ${store.name}.`;
  const ways: (readonly [name: string, url: string])[] = message.kind === 'marketing' ? [['Unsubscribe', links.unsubscribeUrl]] : [];
  if (ways.length && links.preferencesUrl) ways.push(['Choose what you get', links.preferencesUrl]);
  const waysHtml = ways.map(([name, url]) => `<a href="${escapeHtml(url)}" style="color:${MUTED}">${name}</a>`).join(' · ');
  const footerHtml = `${ways.length ? `${escapeHtml(why)} ${waysHtml}<br>` : ''}${escapeHtml(store.address)}`;
  const footerText = [...(ways.length ? [why] : []), ...ways.map(([name, url]) => `${name}: ${url}`), store.address].join('\n');

  const html = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${escapeHtml(subject)}</title></head>
<body style="margin:0;padding:0;background:#F7F5F0"><div style="display:none;max-height:0;overflow:hidden">${escapeHtml(preview)}</div>
<table role="presentation" width="100%" cellpadding="0" cellspacing="0" style="background:#F7F5F0"><tr><td align="center" style="padding:24px 12px">
<table role="presentation" width="560" cellpadding="0" cellspacing="0" style="width:100%;max-width:560px;background:#ffffff;border:1px solid #DDD8CC">
<tr><td style="padding:20px 28px 6px;${FONT};font-size:18px;font-weight:bold;color:${ACCENT}">${escapeHtml(personal.store.name)}</td></tr>
${rows.join('\n')}
<tr><td style="padding:14px 28px 22px;border-top:1px solid #DDD8CC;${FONT};font-size:12px;line-height:18px;color:${MUTED}">${footerHtml}</td></tr>
</table></td></tr></table>${links.pixelUrl ? `<img src="${escapeHtml(links.pixelUrl)}" width="1" height="1" alt="" style="display:block">` : ''}</body></html>`;
  return { subject, html, text: `${lines.join('\n\n')}\n\n--\n${footerText}\n` };
}

function row(content: string): string {
  return `<tr><td style="padding:8px 28px 0">${content}</td></tr>`;
}

function cartTable(items: readonly CartItem[], money: (major: number) => string, track: (url: string) => string): string {
  const cell = `${FONT};font-size:14px;line-height:20px;color:${INK};padding:10px 0;border-bottom:1px solid #DDD8CC`;
  const body = items.map((item) => {
    const picture = item.image ? `<img src="${escapeHtml(item.image)}" width="64" height="64" alt="" style="display:block;border:0">` : '';
    const name = item.url
      ? `<a href="${escapeHtml(track(item.url))}" style="color:${INK};text-decoration:underline">${escapeHtml(item.name)}</a>`
      : escapeHtml(item.name);
    const many = `${item.quantity} ×${item.price !== null ? ` ${escapeHtml(money(item.price))}` : ''}`;
    return `<tr><td width="76" style="${cell}">${picture}</td><td style="${cell}">${name}</td>
<td align="right" style="${cell};white-space:nowrap">${many}</td></tr>`;
  });
  return `<table role="presentation" width="100%" cellpadding="0" cellspacing="0" style="margin:0 0 18px">${body.join('')}</table>`;
}
