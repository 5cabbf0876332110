/** The beginning of a text, without half of a character at its end. */
export function cut(text: string, most: number): string {
  return text.length <= most ? text : text.slice(0, most).replace(/[\ud800-\udbff]$/, '');
}

/** A key made of a name: `Décor & plants` is `decor-plants`. Empty where the name has no letter or digit of the alphabet. */
export function slugOf(name: string, most = 50): string {
  return name
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .slice(0, most)
    .replace(/^-+|-+$/g, '');
}

/** An http or https address, or null: nothing else may become a link or a picture. */
export function safeUrl(url: unknown): string | null {
  if (typeof url !== 'string' || url.length > 2000) return null;
  try {
    const parsed = new URL(url);
    return parsed.protocol === 'http:' || parsed.protocol === 'https:' ? parsed.href : null;
  } catch {
    return null;
  }
}
