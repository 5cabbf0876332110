import { scaleBand, scaleLinear } from 'd3-scale';
import { toMajor } from '../money';
import type { Grain } from '../revenue';
import { escapeHtml as e } from '../text';

/** Colours as they are printed and mailed: a picture that is taken along knows nothing of our styles. */
const INK = '#1F2328';
const SOFT = '#565B63';
const LINE = '#DDD8CC';
const GROUND = '#FFFFFF';
const CREDIT = '#8B2635';
const FONT = 'Overpass';

const WIDTH = 560;
const HEIGHT = 220;
const LEFT = 62;
const BOTTOM = 34;

/** 24 Nov of "2026-11-24"; of a month Nov 2026. */
export const sayBar = (day: string, grain: Grain): string =>
  new Intl.DateTimeFormat('en-GB', {
    timeZone: 'UTC',
    ...(grain === 'month' ? { month: 'short', year: 'numeric' } : { day: 'numeric', month: 'short' }),
  }).format(new Date(`${day}T12:00:00Z`));

const text = (x: number, y: number, words: string, more: string) => `<text x="${x}" y="${y}" ${more}>${e(words)}</text>`;

/** Takings over time as bars, the credited part of each filled: an SVG that stands by itself. Amounts in minor units. */
export function barsPicture(
  days: readonly { readonly day: string; readonly takings: number; readonly credited: number }[],
  { currency, grain }: { currency: string; grain: Grain },
): string {
  const x = scaleBand(
    days.map(({ day }) => day),
    [LEFT, WIDTH - 4],
  ).paddingInner(0.25);
  const y = scaleLinear([0, Math.max(1, ...days.map(({ takings }) => takings))], [HEIGHT - BOTTOM, 28]).nice(4);
  const short = new Intl.NumberFormat('en-IE', { style: 'currency', currency, notation: 'compact' });
  const every = Math.max(1, Math.ceil(days.length / 8));
  const round = (value: number) => Math.round(value * 10) / 10;
  const bar = (day: string, value: number, fill: string) =>
    value > 0
      ? `<rect x="${round(x(day)!)}" y="${round(y(value))}" width="${round(x.bandwidth())}" height="${round(y(0) - y(value))}" fill="${fill}"/>`
      : '';
  const parts = [
    `<rect width="${WIDTH}" height="${HEIGHT}" fill="${GROUND}"/>`,
    `<rect x="${LEFT}" y="6" width="10" height="10" fill="${LINE}"/>`,
    text(LEFT + 15, 15, `Taken per ${grain}, ${currency}`, `fill="${INK}"`),
    `<rect x="${LEFT + 190}" y="6" width="10" height="10" fill="${CREDIT}"/>`,
    text(LEFT + 205, 15, 'of it credited to messages', `fill="${INK}"`),
    ...y
      .ticks(4)
      .flatMap((tick) => [
        `<line x1="${LEFT}" x2="${WIDTH}" y1="${round(y(tick))}" y2="${round(y(tick))}" stroke="${LINE}" stroke-width="${tick ? 0.5 : 1}"/>`,
        text(LEFT - 8, round(y(tick)) + 4, short.format(toMajor({ currency, minor: tick })), `text-anchor="end" fill="${SOFT}"`),
      ]),
    ...days.flatMap(({ day, takings, credited }, n) => [
      bar(day, takings, LINE),
      bar(day, credited, CREDIT),
      n % every === 0
        ? text(round(x(day)! + x.bandwidth() / 2), HEIGHT - BOTTOM + 16, sayBar(day, grain), `text-anchor="middle" fill="${SOFT}"`)
        : '',
    ]),
  ];
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" ` +
    `font-family="${FONT}" font-size="11">${parts.join('')}</svg>`
  );
}
