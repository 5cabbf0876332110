import { convert } from 'html-to-text';
import { lexer, type Token, type Tokens } from 'marked';
import { personalise, withoutMarks, type Personal } from '../messages';
import { escapeHtml, safeUrl } from '../text';
import { cut, mark, sheltered } from './marks';

/** How the parts of a text look: inline styles, since mail programs commonly drop others. */
export interface TextLook {
  readonly paragraph: string;
  readonly heading: (level: number) => string;
  readonly list: string;
  readonly link: string;
  readonly quote: string;
}

/**
 * A text with simple markup (CommonMark: **bold**, _italic_, [words](address), lists, headings) made ready to be filled in: a template
 * in which markup stands behind marks, so that whatever is filled in stays text; and the same for the part that is plain text.
 */
export interface Rich {
  readonly template: string;
  readonly tags: readonly string[];
  readonly plain: string;
}

/** Reads a text. Markup that is not of the simple kind stands as it was written. */
export function richOf(text: string, look: TextLook): Rich {
  const { text: safe, restore } = sheltered(withoutMarks(text));
  const tags: string[] = [];
  const tag = (html: string) => mark('T', tags.push(html) - 1);
  const styled = (name: string, style: string) => tag(`<${name} style="${style}">`);
  // two forms are made side by side: one with marks for the letter, and HTML without looks for the library that makes plain text of it
  const both = (open: [string, string], inner: [string, string], close: [string, string]): [string, string] => [
    open[0] + inner[0] + close[0],
    open[1] + inner[1] + close[1],
  ];
  const join = (parts: [string, string][]): [string, string] => [parts.map(([a]) => a).join(''), parts.map(([, b]) => b).join('')];
  const walk = (tokens: readonly Token[]): [string, string] => join(tokens.map(one));
  const wrap = (name: string, style: string | null, tokens: readonly Token[]): [string, string] =>
    both([style ? styled(name, style) : tag(`<${name}>`), `<${name}>`], walk(tokens), [tag(`</${name}>`), `</${name}>`]);
  const one = (token: Token): [string, string] => {
    switch (token.type) {
      case 'space':
      case 'def':
        return ['', ''];
      case 'paragraph':
        return wrap('p', look.paragraph, (token as Tokens.Paragraph).tokens);
      case 'heading': {
        const { depth, tokens } = token as Tokens.Heading;
        const level = Math.min(3, depth);
        return wrap(`h${level}`, look.heading(level), tokens);
      }
      case 'list': {
        const { ordered, items, start } = token as Tokens.List;
        const name = ordered ? 'ol' : 'ul';
        const from = ordered && typeof start === 'number' && start !== 1 ? ` start="${start}"` : '';
        return both(
          [tag(`<${name}${from} style="${look.list}">`), `<${name}${from}>`],
          join(items.map((item) => wrap('li', null, item.tokens))),
          [tag(`</${name}>`), `</${name}>`],
        );
      }
      case 'blockquote':
        return wrap('blockquote', look.quote, (token as Tokens.Blockquote).tokens);
      case 'strong':
      case 'em':
      case 'del':
        return wrap(token.type === 'del' ? 's' : token.type, null, (token as Tokens.Strong).tokens);
      case 'br':
        return [tag('<br>'), '<br>'];
      case 'hr':
        return [tag('<hr>'), '<hr>'];
      case 'link': {
        const { href, tokens, text: words } = token as Tokens.Link;
        const inner = walk(tokens);
        const isBare = words === href;
        const shown = mark('U') + href + mark('/');
        return [
          mark('A', tags.push(`style="${look.link}"`) - 1) + href + mark('/') + inner[0] + mark('Z'),
          isBare ? escapeHtml(shown) : `<a href="${escapeHtml(shown)}">${inner[1]}</a>`,
        ];
      }
      case 'text':
      case 'escape': {
        const { tokens, text: words } = token as Tokens.Text;
        return tokens ? walk(tokens) : [words, escapeHtml(words)];
      }
      default: {
        const words = token.raw.replace(/\n+$/, '');
        return token.type === 'codespan'
          ? [words, escapeHtml(words)]
          : both([tag(`<p style="${look.paragraph}">`), '<p>'], [words, escapeHtml(words)], [tag('</p>'), '</p>']);
      }
    }
  };
  const [template, html] = walk(lexer(safe, { gfm: true, breaks: true }));
  return { template: restore(template), tags, plain: restore(plainOf(html)) };
}

const plainOf = (html: string): string =>
  convert(html, {
    wordwrap: false,
    selectors: [
      ...['h1', 'h2', 'h3'].map((selector) => ({ selector, options: { uppercase: false } })),
      { selector: 'a', options: { linkBrackets: ['(', ')'] as [string, string] } },
      { selector: 'ul', options: { itemPrefix: '- ' } },
      { selector: 'img', format: 'skip' },
    ],
  });

const TAG = /<(\/?)([a-z][a-z0-9]*)((?:\s+[a-z-]+(?:="[^"]*")?)*)\s*\/?>/g;
const ENTITIES: { readonly [name: string]: string } = { amp: '&', lt: '<', gt: '>', quot: '"', '#39': "'", nbsp: '\u00A0' };
const decoded = (text: string): string => text.replace(/&(amp|lt|gt|quot|#39|nbsp);/g, (_, name: string) => ENTITIES[name]!);

/** Reads HTML that has been cleaned: its tags as they are, its links counted like others, its placeholders filled in as text. */
export function richOfHtml(html: string, clean: (html: string) => string): Rich {
  const { text: safe, restore } = sheltered(withoutMarks(html));
  const cleaned = clean(safe);
  const tags: string[] = [];
  const tag = (raw: string) => mark('T', tags.push(raw.replace(/\uE000L\d+\uE001/g, '')) - 1);
  let template = '';
  let from = 0;
  for (const match of cleaned.matchAll(TAG)) {
    template += decoded(cleaned.slice(from, match.index));
    from = match.index + match[0].length;
    const [whole, closing, name, attributes = ''] = match;
    const href = name === 'a' && !closing ? /\shref="([^"]*)"/.exec(attributes) : null;
    if (name === 'a' && closing) template += mark('Z');
    else if (name === 'a')
      template +=
        mark(
          'A',
          tags.push(
            attributes
              .replace(/\shref="[^"]*"/, '')
              .replace(/\uE000L\d+\uE001/g, '')
              .trim(),
          ) - 1,
        ) +
        decoded(href?.[1] ?? '') +
        mark('/');
    else template += tag(whole);
  }
  template += decoded(cleaned.slice(from));
  const linked = cleaned.replace(
    /(<a\s[^>]*href=")([^"]*)"/g,
    (_, before: string, url: string) => `${before}${mark('U')}${url}${mark('/')}"`,
  );
  return { template: restore(template), tags, plain: restore(plainOf(linked)) };
}

/** A text filled in as HTML, or null where nothing is left of it. What is filled in is escaped; an address that leads nowhere is no link. */
export function fillRich({ template, tags }: Rich, personal: Personal, track: (url: string) => string): string | null {
  let html = '';
  let address: string | null = null;
  let attributes = '';
  let hasText = false;
  const open: boolean[] = [];
  for (const piece of cut(personalise(template, personal))) {
    if (typeof piece === 'string') {
      if (address !== null) address += piece;
      else {
        html += escapeHtml(piece).replace(/\r?\n/g, '<br>');
        hasText ||= piece.trim() !== '';
      }
    } else if (piece.kind === 'A') {
      address = '';
      attributes = tags[piece.n] ?? '';
    } else if (piece.kind === '/') {
      const url = safeUrl((address ?? '').trim());
      address = null;
      open.push(url !== null);
      if (url) html += `<a href="${escapeHtml(track(url))}" ${attributes}>`;
    } else if (piece.kind === 'Z') html += open.pop() ? '</a>' : '';
    else {
      html += tags[piece.n] ?? '';
      hasText ||= tags[piece.n]?.startsWith('<img') ?? false;
    }
  }
  return hasText ? html.replace(/<p style="[^"]*">(?:\s|<br>)*<\/p>/g, '') : null;
}

/** A text filled in as plain text. */
export function fillPlain({ plain }: Pick<Rich, 'plain'>, personal: Personal, track: (url: string) => string): string {
  let text = '';
  let address: string | null = null;
  for (const piece of cut(personalise(plain, personal))) {
    if (typeof piece === 'string') {
      if (address !== null) address += piece;
      else text += piece;
    } else if (piece.kind === 'U') address = '';
    else if (piece.kind === '/') {
      const url = safeUrl((address ?? '').trim());
      text += url ? track(url) : (address ?? '');
      address = null;
    }
  }
  return text.replace(/\n{3,}/g, '\n\n').trim();
}
