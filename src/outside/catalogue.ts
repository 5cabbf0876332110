import catalogue from '../../quillfin/catalogue.json';

export interface Product {
  readonly sku: string;
  readonly name: string;
  /** in euros */
  readonly price: number;
  readonly kind: string;
  readonly drawing: string;
  readonly hue: number;
}

export const products: readonly Product[] = catalogue.products;
export const productOf = (sku: string): Product | undefined => products.find((product) => product.sku === sku);

/** Draws a product: plain shapes in the product's own hue. */
export function drawProduct({ drawing, hue, name }: Product): string {
  const dark = `hsl(${hue} 45% 32%)`;
  const mid = `hsl(${hue} 45% 52%)`;
  const light = `hsl(${hue} 55% 82%)`;
  const shapes: Record<string, string> = {
    tank: `<rect x="22" y="44" width="116" height="78" fill="${light}"/><rect x="22" y="60" width="116" height="62" fill="${mid}" opacity=".55"/><path d="M22 112q20-10 38-3t40-4 38 5v12H22z" fill="#c9a66b"/><path d="M48 110c-6-18 6-22 0-38M58 110c8-14-4-20 4-32M112 108c-6-16 8-20 0-34" stroke="#5B7553" stroke-width="4" fill="none" stroke-linecap="round"/><path d="M78 84q10-9 20 0q-10 9-20 0zm-1 0l-8-6v12z" fill="#e2783c"/><rect x="22" y="44" width="116" height="78" fill="none" stroke="${dark}" stroke-width="4"/>`,
    filter: `<rect x="54" y="40" width="52" height="88" rx="8" fill="${mid}"/><rect x="54" y="40" width="52" height="26" rx="8" fill="${dark}"/><path d="M66 80h28M66 92h28M66 104h28" stroke="${light}" stroke-width="5" stroke-linecap="round"/><path d="M106 56h24v70" stroke="${dark}" stroke-width="6" fill="none"/>`,
    sponge: `<rect x="36" y="66" width="40" height="54" rx="6" fill="${mid}"/><rect x="84" y="66" width="40" height="54" rx="6" fill="${light}"/><rect x="60" y="44" width="40" height="54" rx="6" fill="${dark}"/>`,
    plant: `<path d="M80 126V66" stroke="${dark}" stroke-width="5"/><path d="M80 108q-40-6-42-42q34 4 42 42zM80 96q40-6 42-42q-34 4-42 42zM80 78q-20-14-12-42q22 14 12 42z" fill="${mid}"/><path d="M54 124h52l-6 14H60z" fill="#9c6b4a"/>`,
    jar: `<rect x="52" y="50" width="56" height="78" rx="8" fill="${light}"/><rect x="48" y="38" width="64" height="18" rx="4" fill="${dark}"/><rect x="52" y="76" width="56" height="34" fill="${mid}"/><path d="M70 93q10-8 18 0q-8 8-18 0zm0 0l-6-5v10z" fill="#fff"/>`,
    test: `<rect x="44" y="52" width="16" height="76" rx="8" fill="${light}" stroke="${dark}" stroke-width="3"/><rect x="44" y="92" width="16" height="36" rx="8" fill="${mid}"/><rect x="72" y="52" width="16" height="76" rx="8" fill="${light}" stroke="${dark}" stroke-width="3"/><rect x="72" y="80" width="16" height="48" rx="8" fill="hsl(${hue + 60} 45% 52%)"/><rect x="100" y="52" width="16" height="76" rx="8" fill="${light}" stroke="${dark}" stroke-width="3"/><rect x="100" y="104" width="16" height="24" rx="8" fill="hsl(${hue + 120} 45% 52%)"/>`,
    heater: `<rect x="70" y="34" width="20" height="98" rx="10" fill="${light}" stroke="${dark}" stroke-width="3"/><path d="M80 60v56" stroke="#d9542b" stroke-width="6" stroke-dasharray="6 4"/><rect x="68" y="32" width="24" height="20" rx="4" fill="${dark}"/>`,
    light: `<rect x="24" y="60" width="112" height="14" rx="4" fill="${dark}"/><path d="M32 76h96l14 46H18z" fill="${light}" opacity=".8"/>`,
    bag: `<path d="M50 44h60l8 84H42z" fill="${mid}"/><path d="M50 44h60l-4 12H54z" fill="${dark}"/><circle cx="70" cy="96" r="5" fill="${light}"/><circle cx="88" cy="104" r="5" fill="${light}"/><circle cx="80" cy="86" r="4" fill="${light}"/>`,
    bottle: `<path d="M66 60h28v10q10 6 10 18v40H56V88q0-12 10-18z" fill="${mid}"/><rect x="68" y="40" width="24" height="20" rx="3" fill="${dark}"/><rect x="56" y="92" width="48" height="24" fill="${light}"/>`,
  };
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 160 160" width="160" height="160" role="img" aria-label="${name}"><rect width="160" height="160" fill="hsl(${hue} 40% 95%)"/>${shapes[drawing] ?? ''}</svg>`;
}
