import { lexer, type Token, type Tokens } from 'marked';
import { withoutMarks } from '../messages';
import { cut, sheltered } from './marks';

/** A mark of a text: bold, italic, struck through, or a link. */
export interface DocMark {
  readonly type: string;
  readonly attrs?: { readonly [name: string]: unknown };
}
/** A node of a text as an editor holds it: the JSON of ProseMirror. */
export interface DocNode {
  readonly type: string;
  readonly attrs?: { readonly [name: string]: unknown };
  readonly content?: readonly DocNode[];
  readonly text?: string;
  readonly marks?: readonly DocMark[];
}

const MARKS: { readonly [token: string]: string } = { strong: 'bold', em: 'italic', del: 'strike' };
const DELIMITERS: { readonly [mark: string]: string } = { bold: '**', italic: '*', strike: '~~' };

/** A text with simple markup as an editor holds it: its placeholders are nodes of their own (`value`, with how they are written). */
export function docOf(text: string): DocNode {
  const { text: safe, restore } = sheltered(withoutMarks(text));
  const words = (raw: string, marks: readonly DocMark[]): DocNode[] =>
    cut(raw).flatMap((piece): DocNode[] => {
      const marked = marks.length ? { marks } : {};
      return typeof piece === 'string'
        ? [{ type: 'text', text: piece, ...marked }]
        : [{ type: 'value', attrs: { raw: restore(`\uE000L${piece.n}\uE001`) }, ...marked }];
    });
  const inline = (tokens: readonly Token[], marks: readonly DocMark[] = []): DocNode[] =>
    tokens.flatMap((token): DocNode[] => {
      const mark = MARKS[token.type];
      if (mark) return inline((token as Tokens.Strong).tokens, [...marks, { type: mark }]);
      if (token.type === 'br') return [{ type: 'hardBreak' }];
      if (token.type === 'link') {
        const { href, tokens: inner } = token as Tokens.Link;
        return inline(inner, [...marks, { type: 'link', attrs: { href: restore(href) } }]);
      }
      if (token.type === 'text' || token.type === 'escape') {
        const { tokens: inner, text: own } = token as Tokens.Text;
        return inner ? inline(inner, marks) : words(own, marks);
      }
      return words(token.raw, marks);
    });
  const block = (tokens: readonly Token[]): DocNode[] =>
    tokens.flatMap((token): DocNode[] => {
      switch (token.type) {
        case 'space':
        case 'def':
          return [];
        case 'heading': {
          const { depth, tokens: inner } = token as Tokens.Heading;
          return [{ type: 'heading', attrs: { level: Math.min(3, depth) }, content: inline(inner) }];
        }
        case 'list': {
          const { ordered, items, start } = token as Tokens.List;
          return [
            {
              type: ordered ? 'orderedList' : 'bulletList',
              ...(ordered && { attrs: { start: typeof start === 'number' ? start : 1 } }),
              content: items.map((item) => ({ type: 'listItem', content: withParagraph(block(item.tokens)) })),
            },
          ];
        }
        case 'blockquote':
          return [{ type: 'blockquote', content: withParagraph(block((token as Tokens.Blockquote).tokens)) }];
        case 'paragraph':
        case 'text': {
          const { tokens: inner, text: own } = token as Tokens.Paragraph;
          return [{ type: 'paragraph', content: inner ? inline(inner) : words(own, []) }];
        }
        default:
          return [{ type: 'paragraph', content: words(token.raw.replace(/\n+$/, '').replaceAll('\n', ' '), []) }];
      }
    });
  return { type: 'doc', content: withParagraph(block(lexer(safe, { gfm: true, breaks: true }))) };
}

const withParagraph = (nodes: DocNode[]): DocNode[] => (nodes.length ? nodes : [{ type: 'paragraph' }]);

/** Signs that would be read as markup, made plain. */
const plain = (text: string): string =>
  text
    // a placeholder that was typed out stays as it is
    .split(/(\{\{[\s\S]*?\}\}|\{%[\s\S]*?%\})/)
    .map((part, n) => (n % 2 ? part : part.replace(/[\\`*_~[\]<>]/g, '\\$&')))
    .join('');
/** A line that would begin a list, a heading or a quotation. */
const plainLine = (line: string): string =>
  line
    .replace(/^(\s*)([-+#>=])/, '$1\\$2')
    .replace(/^(\s*\d{1,9})([.)])(?=\s|$)/, '$1\\$2')
    .replace(/^(?: {4}|\t)/, (space) => space.trimStart());

/** A text of an editor with its markup written out: what {@link docOf} reads. */
export function markdownOf(doc: DocNode): string {
  const blocks = (nodes: readonly DocNode[], gap = '\n\n'): string => nodes.map(block).filter(Boolean).join(gap);
  const indented = (text: string, by: string) => text.replaceAll('\n', `\n${by}`);
  const block = (node: DocNode): string => {
    const content = node.content ?? [];
    switch (node.type) {
      case 'heading':
        return `${'#'.repeat(Number(node.attrs?.level ?? 2))} ${inline(content)
          .replaceAll('\n', ' ')
          .replace(/#+\s*$/, (end) => end.replaceAll('#', '\\#'))}`;
      case 'bulletList':
        return content.map((item) => `- ${indented(blocks(item.content ?? [], '\n'), '  ')}`).join('\n');
      case 'orderedList': {
        const start = Number(node.attrs?.start ?? 1);
        return content
          .map((item, n) => {
            const lead = `${start + n}. `;
            return lead + indented(blocks(item.content ?? [], '\n'), ' '.repeat(lead.length));
          })
          .join('\n');
      }
      case 'blockquote':
        return blocks(content).replace(/^/gm, '> ');
      default:
        return inline(content).split('\n').map(plainLine).join('\n');
    }
  };
  return blocks(doc.content ?? []);
}

function inline(nodes: readonly DocNode[]): string {
  let text = '';
  let open: DocMark[] = [];
  const same = (a: DocMark, b: DocMark) => a.type === b.type && a.attrs?.href === b.attrs?.href;
  const close = (mark: DocMark) =>
    mark.type === 'link' ? `](${String(mark.attrs?.href ?? '').replace(/[()\s]/g, (c) => outOfTheWay(c))})` : DELIMITERS[mark.type]!;
  const begin = (mark: DocMark) => (mark.type === 'link' ? '[' : DELIMITERS[mark.type]!);
  const closeTo = (kept: number) => {
    // marks end before the space behind them: markup must stand against a word
    const [, body, space] = /^([\s\S]*?)( *)$/.exec(text)!;
    const ends = open.slice(kept).reverse();
    if (ends.length) text = body + ends.map(close).join('') + space;
    open = open.slice(0, kept);
  };
  for (const node of nodes) {
    const marks = (node.marks ?? []).filter(({ type }) => type === 'link' || DELIMITERS[type]);
    // links stand outside of everything else, so that they go on when what is in them changes
    const wanted = [...marks].sort((a, b) => Number(b.type === 'link') - Number(a.type === 'link') || a.type.localeCompare(b.type));
    let kept = 0;
    while (kept < open.length && kept < wanted.length && same(open[kept]!, wanted[kept]!)) kept += 1;
    closeTo(kept);
    const own = node.type === 'hardBreak' ? '\n' : node.type === 'value' ? String(node.attrs?.raw ?? '') : plain(node.text ?? '');
    if (wanted.length > kept) {
      const [, space, body] = /^( *)([\s\S]*)$/.exec(own)!;
      if (!body) {
        text += space;
        continue;
      }
      text += space + wanted.slice(kept).map(begin).join('') + body;
      open = [...wanted];
    } else text += own;
  }
  closeTo(0);
  return text;
}

/** A sign of an address that would end it in the markup; placeholders in it stay as they are. */
const outOfTheWay = (sign: string): string => ({ '(': '%28', ')': '%29' })[sign] ?? sign;
