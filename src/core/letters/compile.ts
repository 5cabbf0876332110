import type { Brand, Direction, Email } from '../messages';
import { withoutMarks } from '../messages';
import { lookOf, type Look } from './look';
import { cut } from './marks';
import { markupOf, type Hole, type Part } from './markup';
import { richOf, richOfHtml, type Rich } from './rich';

/** A hole with what its text was read as. */
export type Ready = Hole & { readonly rich?: Rich };

/** What a laid-out letter is made of: HTML as it is, what is filled in for each person, and parts that are shown to some. */
export type Piece = string | { readonly hole: Ready } | { readonly part: Part; readonly pieces: readonly Piece[] };

/** A letter that has been laid out once and is filled in for each person. */
export interface Letter {
  readonly email: Email;
  readonly brand: Brand;
  readonly look: Look;
  readonly pieces: readonly Piece[];
  /** what each block was read as, for the part that is plain text */
  readonly rich: ReadonlyMap<string, Rich>;
}

/** What letters need that core does not have: the library that lays out, and the one that cleans HTML. */
export interface Press {
  /** MJML to HTML */
  readonly layOut: (mjml: string) => Promise<string>;
  readonly clean: (html: string) => string;
}

/** Lays a letter out in a brand, with lines that run as those of its language. */
export async function compileLetter(email: Email, brand: Brand, { layOut, clean }: Press, direction: Direction = 'ltr'): Promise<Letter> {
  const look = lookOf(brand, direction);
  const { mjml, holes, parts } = markupOf(email, look);
  const rich = new Map<string, Rich>();
  const ready = holes.map((hole): Ready => {
    if (hole.kind !== 'rich' && hole.kind !== 'html') return 'text' in hole ? { ...hole, text: withoutMarks(hole.text) } : hole;
    const read = hole.kind === 'rich' ? richOf(hole.text, look) : richOfHtml(hole.text, clean);
    rich.set(hole.block, read);
    return { ...hole, rich: read };
  });
  const html = (await layOut(mjml)).replace(/>\s+</g, '><').replace(/\s*\n\s*/g, ' ');
  return { email, brand, look, pieces: nested(html, ready, parts), rich };
}

/** The HTML of a letter cut at its marks, with what lies between the bounds of a part in that part. */
function nested(html: string, holes: readonly Ready[], parts: readonly Part[]): Piece[] {
  const root: Piece[] = [];
  const open: { part: Part; pieces: Piece[] }[] = [];
  const here = () => open.at(-1)?.pieces ?? root;
  for (const piece of cut(html)) {
    if (typeof piece === 'string') here().push(piece);
    else if (piece.kind === 'H') here().push({ hole: holes[piece.n]! });
    else if (piece.kind === 'P') {
      const part = { part: parts[piece.n]!, pieces: [] };
      here().push(part);
      open.push(part);
    } else if (piece.kind === 'Q') open.pop();
  }
  return root;
}
