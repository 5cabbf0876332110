import type { ReportFigures } from '@/core/api';
import { sayMoney } from '@/core/money';
import { barsPicture, sayBar, sayChange, sayFigure, type ReportDocument } from '@/core/reports';
import { MODEL_WORDS, type CreditModel } from '@/core/revenue';
import { escapeHtml as e } from '@/core/text';
import { localDate } from '@/core/time';

const INK = '#1F2328';
const SOFT = '#565B63';
const LINE = '#DDD8CC';
const BOX = `padding:7px 10px;border-bottom:1px solid ${LINE}`;
const FONT = "font-family:Overpass,'Helvetica Neue',Arial,sans-serif";

const day = (at: string, zone: string): string => sayBar(localDate(Date.parse(at), zone), 'day');
/** From which day to which. */
export const sayPeriod = ({ from, to }: Pick<ReportFigures, 'from' | 'to'>, zone: string): string =>
  `${day(from, zone)} to ${day(to, zone)} ${localDate(Date.parse(to), zone).slice(0, 4)}`;

/**
 * A report as HTML of tables, which every mail program shows, and a page too. `picture` is where the picture of the days is:
 * an address, or the SVG itself.
 */
export function reportHtml(
  document: ReportDocument,
  view: ReportFigures,
  { storeName, zone, picture }: { storeName: string; zone: string; picture: { src: string } | 'inline' },
): string {
  const { currency } = view;
  const cell = (content: string, more = '') => `<td${more ? ' class="n"' : ''} style="${BOX};vertical-align:top;${more}">${content}</td>`;
  const head = (words: string, isNumber = false) =>
    `<th scope="col"${isNumber ? ' class="n"' : ''} style="${BOX};text-align:${isNumber ? 'right' : 'left'};font-size:13px;color:${SOFT}">${e(words)}</th>`;
  const number = 'text-align:right;white-space:nowrap;font-variant-numeric:tabular-nums';
  const table = (heads: string, rows: string) =>
    `<table cellpadding="0" cellspacing="0" style="border-collapse:collapse;width:100%;margin:0 0 8px">` +
    `<thead><tr>${heads}</tr></thead><tbody>${rows}</tbody></table>`;
  const before = `the ${document.days} days before`;
  const figures = view.figures
    .map((one) =>
      [
        `<tr>${cell(e(one.name))}`,
        cell(`<b style="font-size:17px">${e(sayFigure(one, one.now, currency))}</b>`, number),
        cell(`<span style="color:${SOFT}">${e(sayChange(one, before))}</span>`),
        cell(`<span style="color:${SOFT}">${e(sayChange({ ...one, before: one.yearBefore }, 'the year before'))}</span></tr>`),
      ].join(''),
    )
    .join('');
  const bars = barsPicture(view.days, { currency, grain: view.grain });
  const spoken = `Takings and credited revenue by ${view.grain}; the figures stand in the report.`;
  const splits = view.splits
    .map(({ name, lines, more }) => {
      const hasTakings = lines.some(({ takings }) => takings !== null);
      const rows = lines
        .map(
          (line) =>
            `<tr>${cell(e(line.name))}${cell(new Intl.NumberFormat('en-IE').format(line.orders), number)}${
              hasTakings ? cell(line.takings === null ? '–' : e(sayMoney({ currency, minor: line.takings })), number) : ''
            }${cell(e(sayMoney({ currency, minor: line.credited })), number)}</tr>`,
        )
        .join('');
      const heads = head('Which') + head('Orders', true) + (hasTakings ? head('Taken, net', true) : '') + head('Credited', true);
      return `<h2 style="font-size:16px;margin:24px 0 6px;color:${INK}">By ${e(name)}</h2>${
        lines.length ? table(heads, rows) : `<p style="color:${SOFT};margin:0">Nothing in this time.</p>`
      }${more ? `<p style="color:${SOFT};margin:0;font-size:13px">and ${more} more</p>` : ''}`;
    })
    .join('');
  return (
    `<div style="${FONT};font-size:15px;line-height:22px;color:${INK}"><p style="color:${SOFT};margin:0">${e(storeName)}</p>` +
    `<h1 style="font-size:22px;line-height:28px;margin:0 0 2px">${e(document.name)}</h1>` +
    `<p style="color:${SOFT};margin:0 0 16px">${e(sayPeriod(view, zone))}. ${e(MODEL_WORDS[view.model as CreditModel].name)}; amounts ${e(view.counted)}.</p>` +
    table(head('Figure') + head('Now', true) + head('Against before') + head('Against a year before'), figures) +
    (picture === 'inline'
      ? `<div role="img" aria-label="${e(spoken)}" style="margin:16px 0">${bars}</div>`
      : `<img src="${e(picture.src)}" width="560" height="220" alt="${e(spoken)}" style="display:block;margin:16px 0;max-width:100%;height:auto">`) +
    `${splits}</div>`
  );
}

/** The same for a page of ours, which brings its own styles and lets in no others. */
export const reportPage = (...of: [ReportDocument, ReportFigures, { storeName: string; zone: string }]): string =>
  reportHtml(of[0], of[1], { ...of[2], picture: 'inline' }).replace(/ style="[^"]*"/g, '');

/** The same as plain text. */
export function reportText(
  document: ReportDocument,
  view: ReportFigures,
  { storeName, zone }: { storeName: string; zone: string },
): string {
  const { currency } = view;
  return [
    `${storeName}: ${document.name}`,
    `${sayPeriod(view, zone)}. ${MODEL_WORDS[view.model as CreditModel].name}; amounts ${view.counted}.`,
    '',
    ...view.figures.map(
      (one) => `${one.name}: ${sayFigure(one, one.now, currency)} (${sayChange(one, `the ${document.days} days before`)})`,
    ),
    ...view.splits.flatMap(({ name, lines, more }) => [
      '',
      `By ${name}`,
      ...lines.map((line) => `- ${line.name}: ${line.orders} orders, ${sayMoney({ currency, minor: line.credited })} credited`),
      ...(more ? [`- and ${more} more`] : []),
    ]),
  ].join('\n');
}
