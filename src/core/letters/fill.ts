import { localeOf, namesCode, personalise, type Block, type Brand, type Links, type Personal, type Rendered } from '../messages';
import { escapeHtml, safeUrl } from '../text';
import type { Letter, Piece, Ready } from './compile';
import { amountOf, itemsOf, listHtml, listText, sayAmount, type Layout, type Shown, type Wording } from './lists';
import type { Look } from './look';
import { fillPlain, fillRich } from './rich';
import { tongueOf } from '../tongue';

/** What a letter shows that is found for each person as it goes out. */
export interface Found {
  /** the products of each block that asks for such */
  readonly products?: { readonly [block: string]: readonly Shown[] };
  /** the newest entries of each feed */
  readonly feeds?: { readonly [feed: string]: readonly Shown[] };
  /** those of them that are new since the last time, where the letter is about an occasion at which that was looked at */
  readonly news?: { readonly [feed: string]: readonly Shown[] };
}

const oneLine = (text: string) => text.replace(/[\r\n]+/g, ' ').trim();

/** Fills a letter in for one person: its subject, the HTML part that mail programs show, and a text part that says the same. */
export function fillLetter(letter: Letter, about: Personal, links: Links, found: Found = {}): Rendered {
  const { email } = letter;
  const language = email.language ?? about.store.languages?.[0] ?? 'en';
  const personal = { ...about, language };
  const wording = { words: tongueOf(language).letter, locale: localeOf(language) };
  const subject = oneLine(personalise(email.subject, personal));
  const preview = oneLine(personalise(email.preview, personal));
  const here: Here = { letter, personal, language, wording, links, found, subject, preview };
  const { html } = piecesHtml(letter.pieces, here);
  const pixel = links.pixelUrl ? `<img src="${escapeHtml(links.pixelUrl)}" width="1" height="1" alt="" style="display:block">` : '';
  const lines = email.blocks.flatMap((block) => linesOf(block, here));
  return {
    subject,
    html: html.replace(/<\/body>/, `${pixel}</body>`),
    text: `${lines.join('\n\n')}\n\n--\n${footerOf(here).text}\n`,
  };
}

interface Here {
  readonly letter: Letter;
  readonly personal: Personal;
  /** in which it is written, and what it says by itself in it */
  readonly language: string;
  readonly wording: Wording;
  readonly links: Links;
  readonly found: Found;
  readonly subject: string;
  readonly preview: string;
}

/** Whether a block is shown at all, whatever stands in it: what tells of a code is nothing for who has none. */
function isShown(
  { only, unless }: { readonly only?: string | undefined; readonly unless?: string | undefined },
  block: Block | null,
  { personal }: Here,
): boolean {
  if (only !== undefined && !personal.holds?.[only]) return false;
  if (unless !== undefined && personal.holds?.[unless]) return false;
  return !block || block.kind === 'button' || block.kind === 'columns' || personal.offer !== undefined || !namesCode(block);
}

/** Pieces as HTML; `isEmpty` when what makes its block worth showing is not there for this person. */
function piecesHtml(pieces: readonly Piece[], here: Here): { html: string; isEmpty: boolean } {
  let html = '';
  let isEmpty = false;
  for (const piece of pieces) {
    if (typeof piece === 'string') html += piece;
    else if ('part' in piece) {
      const { part } = piece;
      if (!isShown(part, part.block, here)) continue;
      if (part.leads !== undefined && part.leads !== leadsSomewhere(part.block, here)) continue;
      const inner = piecesHtml(piece.pieces, here);
      // a way of showing a block that has nothing to show is a block that has nothing to show
      if (!inner.isEmpty) html += inner.html;
      else if (part.leads !== undefined) isEmpty = true;
    } else {
      const filled = holeHtml(piece.hole, here);
      if (filled === null) isEmpty = true;
      else html += filled;
    }
  }
  return { html, isEmpty };
}

const leadsSomewhere = (block: Block | null, { personal }: Here): boolean =>
  block?.kind === 'picture' && safeUrl(personalise(block.link ?? '', personal).trim()) !== null;

function holeHtml(hole: Ready, here: Here): string | null {
  const { letter, personal, links } = here;
  switch (hole.kind) {
    case 'subject':
      return escapeHtml(here.subject);
    case 'preview':
      return escapeHtml(here.preview);
    case 'language':
      return escapeHtml(here.language);
    case 'footer':
      return footerOf(here).html;
    case 'rich':
    case 'html':
      return fillRich(hole.rich!, personal, links.track);
    case 'words': {
      const words = oneLine(personalise(hole.text, personal));
      // a heading or a button without words is nothing; a picture without may be for show
      return words || blockOf(letter, hole.block)?.kind === 'picture' || blockOf(letter, hole.block)?.kind === 'note'
        ? escapeHtml(words)
        : null;
    }
    case 'url': {
      const url = safeUrl(personalise(hole.text, personal).trim());
      if (url) return escapeHtml(hole.isLink ? links.track(url) : url);
      return null;
    }
    case 'list': {
      const block = blockOf(letter, hole.block);
      return block ? listBlockHtml(block, here) : null;
    }
  }
}

const indexes = new WeakMap<Letter, Map<string, Block>>();
function blockOf(letter: Letter, id: string): Block | undefined {
  let index = indexes.get(letter);
  if (!index) {
    index = new Map();
    for (const block of letter.email.blocks) {
      index.set(block.id, block);
      if (block.kind === 'columns') for (const one of block.columns.flatMap(({ blocks }) => blocks)) index.set(one.id, one);
    }
    indexes.set(letter, index);
  }
  return index.get(id);
}

/** What a block that shows a list shows, and how; null where there is nothing. */
function shownBy(block: Block, { personal, found }: Here): { items: readonly Shown[]; layout: Layout } | null {
  switch (block.kind) {
    case 'cart':
      return { items: itemsOf(personal.event, block.layout === 'large'), layout: block.layout ?? 'table' };
    case 'order':
      return { items: itemsOf(personal.event), layout: 'table' };
    case 'products':
      return { items: found.products?.[block.id] ?? [], layout: block.layout ?? 'cards' };
    case 'feed':
      return {
        items: ((block.news ? found.news?.[block.feed] : undefined) ?? found.feeds?.[block.feed] ?? []).slice(0, block.most),
        layout: 'table',
      };
    default:
      return null;
  }
}

/** What is said of an order beside its items: its number before them, its total and its parcel after them. */
function orderWords({ personal, wording }: Here): { head: string; total: string; parcel: { words: string; url: string | null } | null } {
  const { event } = personal;
  const text = (name: string) => (typeof event[name] === 'string' || typeof event[name] === 'number' ? String(event[name]) : '');
  const carrier = text('carrier');
  const number = text('trackingNumber');
  const url = safeUrl(event.trackingUrl);
  const parcel =
    carrier || number || url
      ? { words: [wording.words.parcel, carrier && `${wording.words.by} ${carrier}`, number].filter(Boolean).join(' '), url }
      : null;
  return {
    head: text('orderId') && `${wording.words.order} ${text('orderId')}`,
    total: typeof event.value === 'number' ? `${wording.words.total} ${sayAmount(amountOf(event, event.value), wording)}` : '',
    parcel,
  };
}

const RATINGS = { five: ['1', '2', '3', '4', '5'], two: ['1', '5'] } as const;
const STARS = ['★', '★★', '★★★', '★★★★', '★★★★★'] as const;

function listBlockHtml(block: Block, here: Here): string | null {
  const { letter, links, wording } = here;
  const { look, brand } = letter;
  if (block.kind === 'social') {
    const shown = socialOf(brand);
    return shown.length
      ? shown.map(({ name, url }) => `<a href="${escapeHtml(links.track(url))}" style="${look.link}">${escapeHtml(name)}</a>`).join(' · ')
      : null;
  }
  if (block.kind === 'download') {
    const label = oneLine(personalise(block.label, here.personal));
    const url = block.file && label ? links.download?.(block.file, block.days ?? null) : undefined;
    if (!url) return null;
    const until =
      block.days === undefined
        ? ''
        : ` <span class="v-aside" style="color:${look.brand.colours.soft}">(${wording.words.forDays(block.days)})</span>`;
    return `<p style="${look.paragraph}">↓ <a href="${escapeHtml(url)}" style="${look.link}">${escapeHtml(label)}</a>${until}</p>`;
  }
  if (block.kind === 'rating') {
    const question = oneLine(personalise(block.question, here.personal));
    const answers = RATINGS[block.scale].map((value, n) => {
      const words = block.scale === 'five' ? STARS[n]! : n ? wording.words.good : wording.words.notGood;
      return `<a href="${escapeHtml(links.rate?.(block.id, Number(value)) ?? '#')}" title="${escapeHtml(wording.words.ofFive(value))}" style="${look.link};white-space:nowrap">${words}</a>`;
    });
    return question
      ? `<p style="${look.paragraph}"><b>${escapeHtml(question)}</b></p><p style="${look.paragraph}">${answers.join(' &nbsp; ')}</p>`
      : null;
  }
  const shown = shownBy(block, here);
  if (!shown?.items.length) return null;
  const html = listHtml(shown.items, shown.layout, look, wording, links.track);
  if (block.kind !== 'order') return html;
  const { head, total, parcel } = orderWords(here);
  const parcelHtml =
    parcel &&
    (parcel.url
      ? `<a href="${escapeHtml(links.track(parcel.url))}" style="${look.link}">${escapeHtml(parcel.words)}</a>`
      : escapeHtml(parcel.words));
  const said = (words: string) => apart(look, words);
  return `${head ? `<p style="${look.paragraph}"><b>${said(escapeHtml(head))}</b></p>` : ''}${html}${
    total ? `<p align="${look.end}" style="${look.paragraph};text-align:${look.end}"><b>${said(escapeHtml(total))}</b></p>` : ''
  }${parcelHtml ? `<p style="${look.paragraph}">${said(parcelHtml)}</p>` : ''}`;
}

/** What may not be written in the letter's own language runs its own way where that runs from the right. */
const apart = (look: Look, html: string): string => (html && look.direction === 'rtl' ? `<span dir="auto">${html}</span>` : html);

const socialOf = (brand: Brand) =>
  brand.social.flatMap(({ name, url }) => {
    const safe = safeUrl(url.trim());
    return safe ? [{ name, url: safe }] : [];
  });

/** A block as plain text; nothing where it is not shown. */
function linesOf(block: Block, here: Here): string[] {
  if (!isShown(block, block, here)) return [];
  const { letter, personal, links, wording } = here;
  const fill = (text: string) => oneLine(personalise(text, personal));
  const some = (...lines: (string | false | null | undefined)[]) => lines.filter((line): line is string => Boolean(line));
  switch (block.kind) {
    case 'columns':
      return block.columns.flatMap((column) => (isShown(column, null, here) ? column.blocks.flatMap((one) => linesOf(one, here)) : []));
    case 'text':
    case 'html':
      return some(fillPlain(letter.rich.get(block.id)!, personal, links.track));
    case 'offer': {
      const text = fillPlain(letter.rich.get(block.id)!, personal, links.track);
      return text ? [`* ${text}`] : [];
    }
    case 'note': {
      const text = fillPlain(letter.rich.get(block.id)!, personal, links.track);
      return text ? some(text, [fill(block.name), fill(block.role ?? '')].filter(Boolean).join(', ')) : [];
    }
    case 'heading': {
      const text = fill(block.text);
      return text ? [`${text}\n${'-'.repeat(Math.min(60, text.length))}`] : [];
    }
    case 'divider':
      return ['---'];
    case 'space':
      return [];
    case 'picture': {
      if (!safeUrl(fill(block.url))) return [];
      const alt = fill(block.alt);
      const leads = block.link === undefined ? null : safeUrl(fill(block.link));
      return some([alt && `[${alt}]`, leads && links.track(leads)].filter(Boolean).join(' '));
    }
    case 'button': {
      const [url, label] = [safeUrl(fill(block.url)), fill(block.label)];
      return url && label ? [`${label}: ${links.track(url)}`] : [];
    }
    case 'social':
      return some(
        socialOf(letter.brand)
          .map(({ name, url }) => `${name}: ${links.track(url)}`)
          .join('\n'),
      );
    case 'download': {
      const label = fill(block.label);
      const url = block.file && label ? links.download?.(block.file, block.days ?? null) : undefined;
      return url ? [`${label}${block.days === undefined ? '' : ` (${wording.words.forDays(block.days)})`}: ${url}`] : [];
    }
    case 'rating': {
      const question = fill(block.question);
      return question
        ? [
            `${question}\n${RATINGS[block.scale].map((value) => `${wording.words.ofFive(value)}: ${links.rate?.(block.id, Number(value)) ?? ''}`).join('\n')}`,
          ]
        : [];
    }
    default: {
      const shown = shownBy(block, here);
      if (!shown?.items.length) return [];
      const list = listText(shown.items, shown.layout, wording, links.track);
      if (block.kind !== 'order') return [list];
      const { head, total, parcel } = orderWords(here);
      return some(head, list, total, parcel && [parcel.words, parcel.url && links.track(parcel.url)].filter(Boolean).join(': '));
    }
  }
}

function footerOf({ letter, personal, links, wording: { words } }: Here): { html: string; text: string } {
  const { brand, email } = letter;
  const { store } = personal;
  const address = brand.address?.trim() || store.address;
  const why = words.why(store.name);
  const ways: (readonly [name: string, url: string])[] = email.kind === 'marketing' ? [[words.unsubscribe, links.unsubscribeUrl]] : [];
  if (ways.length && links.preferencesUrl) ways.push([words.choose, links.preferencesUrl]);
  const waysHtml = ways
    .map(([name, url]) => `<a href="${escapeHtml(url)}" style="color:${brand.colours.soft}">${escapeHtml(name)}</a>`)
    .join(' · ');
  const own = brand.footer.trim();
  return {
    html: [
      apart(letter.look, ways.length ? `${escapeHtml(why)} ${waysHtml}` : ''),
      apart(letter.look, escapeHtml(own).replace(/\r?\n/g, '<br>')),
      apart(letter.look, escapeHtml(address)),
    ]
      .filter(Boolean)
      .join('<br>'),
    text: [...(ways.length ? [why] : []), ...ways.map(([name, url]) => `${name}: ${url}`), ...(own ? [own] : []), address].join('\n'),
  };
}
