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
