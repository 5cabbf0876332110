import type { Block, Column, Email, Leaf } from '../messages';
import { FONTS, withoutMarks } from '../messages';
import { escapeHtml } from '../text';
import { darkStyle, type Look } from './look';
import { mark } from './marks';

/** What stands behind a mark of a laid-out letter. */
export type Hole =
  | { readonly kind: 'rich' | 'html'; readonly block: string; readonly text: string }
  | { readonly kind: 'words'; readonly block: string; readonly text: string }
  | { readonly kind: 'url'; readonly block: string; readonly text: string; readonly isLink: boolean }
  | { readonly kind: 'list'; readonly block: string }
  | { readonly kind: 'subject' | 'preview' | 'footer' | 'language' };

/** Something that is shown or not as a whole: a block, or a column. */
export interface Part {
  readonly id: string;
  readonly only?: string | undefined;
  readonly unless?: string | undefined;
  readonly block: Block | null;
  /** of a picture: shown where what it leads to is an address, or where it is none */
  readonly leads?: boolean;
}

/** A letter as it is handed to the library that lays it out. */
export interface Markup {
  readonly mjml: string;
  readonly holes: readonly Hole[];
  readonly parts: readonly Part[];
}

const SIDE = 28;

/** Writes a letter as MJML: its frame, its blocks, and marks for what is somebody's own. */
export function markupOf(email: Pick<Email, 'blocks'>, look: Look): Markup {
  const { brand, direction, start } = look;
  const holes: Hole[] = [];
  const parts: Part[] = [];
  const hole = (one: Hole) => mark('H', holes.push(one) - 1);
  const within = (part: Part, inner: string) => {
    const n = parts.push(part) - 1;
    const bound = (kind: string) => `<mj-raw>${mark(kind, n)}</mj-raw>`;
    return bound('P') + inner + bound('Q');
  };
  const leaf = (block: Leaf, width: number): string =>
    within({ id: block.id, only: block.only, unless: block.unless, block }, leafMarkup(block, width, look, hole, within));
  const sections: string[] = [];
  let run: Leaf[] = [];
  const flush = () => {
    const inner = run.map((block) => leaf(block, brand.width - 2 * SIDE)).join('');
    if (run.length) sections.push(`<mj-section padding="0 ${SIDE}px"><mj-column padding="0">${inner}</mj-column></mj-section>`);
    run = [];
  };
  for (const block of email.blocks) {
    if (block.kind !== 'columns') {
      run.push(block);
      continue;
    }
    flush();
    const wide = Math.floor((brand.width - 2 * SIDE) / block.columns.length);
    const columns = block.columns.map((one: Column) => {
      const inner = one.blocks.map((leafBlock) => leaf(leafBlock, wide - 16)).join('');
      return `<mj-column padding="${look.sides(0, 8, 0, 0)}">${within({ id: one.id, only: one.only, unless: one.unless, block: null }, inner)}</mj-column>`;
    });
    sections.push(
      within(
        { id: block.id, only: block.only, unless: block.unless, block },
        `<mj-section padding="0 ${SIDE}px">${columns.join('')}</mj-section>`,
      ),
    );
  }
  flush();
  const { colours: c } = brand;
  const head = brand.logo
    ? `<mj-image align="${start}" padding="20px 0 6px" width="${Math.min(brand.logo.width, brand.width - 2 * SIDE)}px" src="${escapeHtml(withoutMarks(brand.logo.url))}" alt="${escapeHtml(withoutMarks(brand.name))}"/>`
    : `<mj-text css-class="v-brand" padding="20px 0 6px" font-size="18px" font-weight="bold" color="${c.accent}">${escapeHtml(withoutMarks(brand.name))}</mj-text>`;
  const mjml = `<mjml lang="${hole({ kind: 'language' })}" dir="${direction}"><mj-head><mj-title>${hole({ kind: 'subject' })}</mj-title><mj-preview>${hole({ kind: 'preview' })}</mj-preview>
<mj-attributes><mj-all font-family="${FONTS[brand.font].replaceAll('"', "'")}"/><mj-section direction="${direction}"/><mj-wrapper direction="${direction}"/><mj-column direction="${direction}"/><mj-text align="${start}" padding="8px 0 0" font-size="${brand.size}px" line-height="${Math.round(brand.size * 1.55)}px" color="${c.ink}"/></mj-attributes>
<mj-breakpoint width="480px"/><mj-style>${darkStyle(brand)}</mj-style><mj-raw><meta name="color-scheme" content="light dark"><meta name="supported-color-schemes" content="light dark"></mj-raw></mj-head>
<mj-body width="${brand.width}px" background-color="${c.page}" css-class="v-page">
<mj-section padding="12px 0"><mj-column><mj-spacer height="1px"/></mj-column></mj-section>
<mj-wrapper css-class="v-sheet" background-color="${c.sheet}" border="1px solid ${c.line}" padding="0">
<mj-section padding="0 ${SIDE}px"><mj-column>${head}</mj-column></mj-section>
${sections.join('\n')}
<mj-section padding="0 ${SIDE}px"><mj-column padding="14px 0 0"><mj-divider css-class="v-line" padding="0" border-width="1px" border-color="${c.line}"/><mj-text css-class="v-soft" padding="14px 0 22px" font-size="12px" line-height="18px" color="${c.soft}">${hole({ kind: 'footer' })}</mj-text></mj-column></mj-section>
</mj-wrapper><mj-section padding="12px 0"><mj-column><mj-spacer height="1px"/></mj-column></mj-section></mj-body></mjml>`;
  return { mjml, holes, parts };
}

type MakeHole = (hole: Hole) => string;

type Within = (part: Part, inner: string) => string;

function leafMarkup(block: Leaf, width: number, look: Look, hole: MakeHole, within: Within): string {
  const { brand } = look;
  const { colours: c } = brand;
  const align = 'align' in block && block.align ? ` align="${block.align}"` : '';
  const list = () => `<mj-text css-class="v-ink">${hole({ kind: 'list', block: block.id })}</mj-text>`;
  switch (block.kind) {
    case 'text':
      return `<mj-text css-class="v-ink"${align}>${hole({ kind: 'rich', block: block.id, text: block.text })}</mj-text>`;
    case 'heading': {
      const level = block.level ?? 2;
      return `<mj-text css-class="v-ink"${align}><h${level} style="${look.heading(level)}">${hole({ kind: 'words', block: block.id, text: block.text })}</h${level}></mj-text>`;
    }
    case 'divider':
      return `<mj-divider css-class="v-line" padding="14px 0" border-width="1px" border-color="${c.line}"/>`;
    case 'space':
      return `<mj-spacer height="${block.height}px"/>`;
    case 'picture': {
      const wide = Math.round((width * (block.width ?? 100)) / 100);
      const image = (href: string) =>
        `<mj-image css-class="v-ink" padding="8px 0 14px"${align || ` align="${look.start}"`} width="${wide}px" border-radius="${brand.corner}px" src="${hole({ kind: 'url', block: block.id, text: block.url, isLink: false })}" alt="${hole({ kind: 'words', block: block.id, text: block.alt })}"${href}/>`;
      if (!block.link?.trim()) return image('');
      const way = { id: block.id, block };
      const href = ` href="${hole({ kind: 'url', block: block.id, text: block.link, isLink: true })}"`;
      return within({ ...way, leads: true }, image(href)) + within({ ...way, leads: false }, image(''));
    }
    case 'button':
      return `<mj-button css-class="v-act" padding="14px 0 20px"${align || ` align="${look.start}"`}${block.full ? ' width="100%"' : ''} background-color="${c.accent}" color="${c.onAccent}" border-radius="${brand.corner}px" font-size="${brand.size}px" font-weight="bold" inner-padding="12px 22px" href="${hole({ kind: 'url', block: block.id, text: block.url, isLink: true })}">${hole({ kind: 'words', block: block.id, text: block.label })}</mj-button>`;
    case 'offer':
      return `<mj-text css-class="v-ink"><div class="v-code" style="margin:0 0 18px;padding:12px 16px;border:1px dashed ${c.accent};color:${c.accent}">${hole({ kind: 'rich', block: block.id, text: block.text })}</div></mj-text>`;
    case 'note': {
      const face = block.picture?.trim()
        ? `<td width="60" valign="top"><img src="${hole({ kind: 'url', block: block.id, text: block.picture, isLink: false })}" width="48" height="48" alt="" style="display:block;border:0;border-radius:24px"></td>`
        : '';
      const role = block.role?.trim()
        ? `<br><span class="v-aside" style="color:${c.soft}">${hole({ kind: 'words', block: block.id, text: block.role })}</span>`
        : '';
      return `<mj-text css-class="v-ink">${hole({ kind: 'rich', block: block.id, text: block.text })}<table role="presentation" cellpadding="0" cellspacing="0" style="margin:0 0 14px"><tr>${face}<td style="${look.text}">${hole({ kind: 'words', block: block.id, text: block.name })}${role}</td></tr></table></mj-text>`;
    }
    case 'html':
      return `<mj-text css-class="v-ink">${hole({ kind: 'html', block: block.id, text: block.html })}</mj-text>`;
    case 'social':
      return `<mj-text css-class="v-ink"${align}>${hole({ kind: 'list', block: block.id })}</mj-text>`;
    case 'cart':
    case 'order':
    case 'products':
    case 'feed':
    case 'rating':
    case 'download':
      return list();
  }
}
