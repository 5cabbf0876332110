/** What of the styles of a page a picture has to bring along. */
const STYLES = ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'opacity', 'font-size', 'font-weight', 'text-anchor'] as const;
const FONT = "Overpass, 'Overpass Variable', 'Helvetica Neue', Arial, sans-serif";
const TITLE_HEIGHT = 34;
/** A PNG has so many dots for each of the screen. */
const SHARP = 2;

/** An SVG of the page as one that stands by itself: with the styles it is shown in, a ground and a title. */
export function standalone(svg: SVGSVGElement, title: string): string {
  const [width, height] = [svg.clientWidth, svg.clientHeight];
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const made = [...copy.querySelectorAll<SVGElement>('*')];
  for (const [n, one] of [...svg.querySelectorAll<SVGElement>('*')].entries()) {
    const style = getComputedStyle(one);
    const own = made[n]!;
    own.removeAttribute('class');
    for (const name of STYLES) own.setAttribute(name, style.getPropertyValue(name));
  }
  // what only takes the pointer is no part of it
  for (const one of copy.querySelectorAll('[data-aim]')) one.remove();
  const ground = getComputedStyle(document.body);
  const make = (name: string, values: Record<string, string | number>, text = '') => {
    const one = document.createElementNS('http://www.w3.org/2000/svg', name);
    for (const [key, value] of Object.entries(values)) one.setAttribute(key, String(value));
    one.textContent = text;
    return one;
  };
  const all = make('svg', {
    xmlns: 'http://www.w3.org/2000/svg',
    width,
    height: height + TITLE_HEIGHT,
    viewBox: `0 0 ${width} ${height + TITLE_HEIGHT}`,
    'font-family': FONT,
  });
  const body = make('g', { transform: `translate(0 ${TITLE_HEIGHT})` });
  body.append(...copy.childNodes);
  all.append(
    make('rect', { width: '100%', height: '100%', fill: ground.backgroundColor }),
    make('text', { x: 12, y: 22, 'font-size': 14, 'font-weight': 600, fill: ground.color }, title),
    body,
  );
  return new XMLSerializer().serializeToString(all);
}

/** An SVG as a PNG, twice as sharp as the screen. */
export async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  // as data: what a page may show are pictures of addresses and such, not what it has made in memory
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  canvas.width = image.width * SHARP;
  canvas.height = image.height * SHARP;
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise<Blob>((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be made.'))), 'image/png'),
  );
}
