'use client';

import { clsx } from 'clsx';
import { Fragment, useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import type { FlowReport } from '@/core/api';
import {
  armsOf,
  axis,
  kindOfTrigger,
  layout,
  planOf,
  sayShares,
  sayShortWait,
  sayStep,
  TICKS,
  type FlowDocument,
  type Stop,
  type Trigger,
  type Stretch,
} from '@/core/flows';
import { sayMoney } from '@/core/money';
import { sayDone, sayName } from '@/core/rules';
import { approximateMs, sayDuration, sayElapsed } from '@/core/time';
import { plural, sayCount, sayShare } from '../kit';
import { laneColour, StopIcon } from './marks';

const GAP = 80;
const TOP = 108;
const LEAST_LANE = 136;
const MOST_LANE = 208;
/** How wide a letter of a small label is at most, about, in pixels. */
const WIDEST_LETTER = 7;
const SIDE = 52;

interface Props {
  readonly document: FlowDocument;
  readonly selected: string;
  readonly onSelect: (id: string) => void;
  readonly onOpen: () => void;
  /** figures to show at the stops, in the Results lens */
  readonly report: FlowReport | null;
  /** how many are at each step, in the Now lens */
  readonly now?: ReadonlyMap<string, number> | undefined;
  readonly troubled: ReadonlySet<string>;
}

/** What a click on a stop or stretch selects: trigger and entry are one thing to edit. */
const targetOf = (id: string) => (id === 'entry' || id === 'trigger' || id === 'finish' ? 'trigger' : id);

/** How long before entry the first of a flow's triggers begins, or null where somebody enters at once. */
function leadOf(document: FlowDocument): string | null {
  const leads = document.triggers.flatMap((trigger) => kindOfTrigger(trigger).lead(trigger) ?? []);
  return leads.sort((a, b) => approximateMs(b) - approximateMs(a))[0] ?? null;
}

/** What starts a flow, in a word or two. */
const startOf = (trigger: Trigger): string =>
  trigger.kind === 'schedule'
    ? 'By schedule'
    : trigger.kind === 'date'
      ? `Their ${sayName(trigger.name)}`
      : trigger.kind === 'change'
        ? `new ${sayName(trigger.name)}`
        : trigger.kind === 'product'
          ? trigger.event === 'product.repriced'
            ? 'New price'
            : 'There again'
          : sayDone(trigger.event);

function nameOf(stop: Stop, document: FlowDocument): string {
  const started = [...new Set(document.triggers.map(startOf))].join(' or ');
  if (stop.kind === 'trigger') return started;
  if (stop.kind === 'entry') return leadOf(document) === null ? started : 'Enters';
  const step = planOf(document).steps.get(stop.id);
  if (step && 'name' in step) return step.name;
  if (step?.kind === 'idea') return step.text;
  return step?.kind === 'wait' ? 'Came?' : 'End';
}

/** A flow drawn against the time since entry, like lines on a map of a railway. Arrow keys walk its stops. */
export function LineMap({ document, selected, onSelect, onOpen, report, now, troubled }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [{ room, high }, setRoom] = useState({ room: 640, high: 560 });
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => entry && setRoom({ room: entry.contentRect.width, high: entry.contentRect.height }));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const map = useMemo(() => layout(document), [document]);
  const scale = useMemo(() => axis(map, room - 2 * SIDE, GAP), [map, room]);
  // lanes share the height there is; figures below the stops need more of it
  const laneHeight = Math.max(report ? 184 : now ? 130 : LEAST_LANE, Math.min(MOST_LANE, (high - TOP - 110) / Math.max(1, map.lanes - 1)));
  const laneY = (lane: number) => TOP + lane * laneHeight;
  const placed = useMemo(
    () => new Map(map.stops.map((stop) => [stop.id, { stop, x: SIDE + scale.x(stop.at, stop.rank), y: TOP + stop.lane * laneHeight }])),
    [map, scale, laneHeight],
  );
  const width = Math.max(room, scale.width + 2 * SIDE);
  const height = Math.max(high, laneY(map.lanes - 1) + 130);
  const ticks = useMemo(() => ticksFor(map.moments, (ms) => SIDE + scale.x(ms)), [map, scale]);
  const people = useMemo(() => armPeople(report), [report]);

  /** Whether the label of a wait before or after a stop comes close to the stop's own. */
  const isTight = (id: string) =>
    map.stretches.some(
      (stretch) =>
        (stretch.to === id || stretch.from === id) && stretch.wait && placed.get(stretch.to)!.x - placed.get(stretch.from)!.x < 150,
    );
  /** Whether the length of a wait would stand upon the name of the arm in which it is: both lie below the line. */
  const standsUponArm = (stretch: (typeof map.stretches)[number], length: string) => {
    const arm = armName(document, stretch.armId);
    if (!arm) return false;
    const [from, to] = [placed.get(stretch.from)!.x, placed.get(stretch.to)!.x];
    return from + 36 + Math.min(arm.length * WIDEST_LETTER, to - from - 40) > (from + to) / 2 - (length.length * WIDEST_LETTER) / 2 - 10;
  };
  const walkable = map.stops.filter((stop) => stop.kind !== 'join');
  const onKey = (event: KeyboardEvent, id: string) => {
    const here = placed.get(id);
    if (!here) return;
    const others = walkable.filter((stop) => stop.id !== id).map((stop) => placed.get(stop.id)!);
    const pick = (list: typeof others, far: (one: (typeof others)[number]) => number) => list.sort((a, b) => far(a) - far(b))[0];
    let next: (typeof others)[number] | undefined;
    if (event.key === 'ArrowRight')
      next = pick(
        others.filter((o) => o.x > here.x),
        (o) => o.x - here.x + Math.abs(o.y - here.y) * 0.5,
      );
    else if (event.key === 'ArrowLeft')
      next = pick(
        others.filter((o) => o.x < here.x),
        (o) => here.x - o.x + Math.abs(o.y - here.y) * 0.5,
      );
    else if (event.key === 'ArrowDown')
      next = pick(
        others.filter((o) => o.y > here.y),
        (o) => o.y - here.y + Math.abs(o.x - here.x),
      );
    else if (event.key === 'ArrowUp')
      next = pick(
        others.filter((o) => o.y < here.y),
        (o) => here.y - o.y + Math.abs(o.x - here.x),
      );
    else if (event.key === 'Enter') {
      event.preventDefault();
      onSelect(targetOf(id));
      onOpen();
      return;
    } else return;
    event.preventDefault();
    if (!next) return;
    onSelect(targetOf(next.stop.id));
    frame.current?.querySelector<HTMLElement>(`[data-stop="${next.stop.id}"]`)?.focus();
  };

  return (
    <div ref={frame} className="h-full overflow-auto" data-testid="line-map">
      <div className="relative" style={{ width, height }}>
        <svg width={width} height={height} className="absolute inset-0" aria-hidden="true">
          {ticks.map((tick) => (
            <g key={tick.at}>
              <line
                x1={tick.x}
                x2={tick.x}
                y1={44}
                y2={height - 12}
                stroke="var(--line)"
                strokeDasharray={tick.at === 0 ? undefined : '2 4'}
              />
              <text x={tick.x} y={37} textAnchor="middle" className="fill-soft font-mono" fontSize={11}>
                {tick.at === 0 ? 'entry' : sayElapsed(tick.at)}
              </text>
            </g>
          ))}
          {map.stretches.map((stretch) => (
            <path
              key={`${stretch.from}>${stretch.to}`}
              d={pathOf(stretch, placed, laneY(stretch.lane))}
              fill="none"
              stroke={laneColour(stretch.lane)}
              strokeWidth={widthOf(stretch, map.stretches, people, report)}
              strokeLinecap="round"
              strokeDasharray={stretch.wait === 'trigger' ? '1 9' : stretch.isOpen ? '7 8' : undefined}
            />
          ))}
        </svg>
        <span className="absolute left-2 top-1 text-xs text-soft">Time since entry</span>

        {map.stretches
          .filter((stretch) => stretch.wait)
          .map((stretch) => {
            const from = placed.get(stretch.from)!;
            const to = placed.get(stretch.to)!;
            const wait = stretch.wait!;
            const y = laneY(stretch.lane);
            const waits = planOf(document).steps.get(wait);
            const length =
              wait === 'trigger'
                ? `${sayDuration(leadOf(document) ?? '')} silent`
                : waits?.kind === 'wait'
                  ? sayShortWait(waits)
                  : waits && 'within' in waits
                    ? `up to ${sayDuration(waits.within)}`
                    : '';
            const waiting = now ? now.get(wait) : report?.steps.find((step) => step.id === wait)?.waiting;
            return (
              <button
                key={wait}
                type="button"
                onClick={() => onSelect(targetOf(wait))}
                data-stop={wait === 'trigger' || (waits && 'within' in waits) ? undefined : wait}
                aria-label={
                  wait === 'trigger' ? `Silence of ${sayDuration(leadOf(document) ?? '')}` : sayStep(planOf(document).steps.get(wait)!)
                }
                className={clsx(
                  'absolute -translate-x-1/2 whitespace-nowrap rounded-md border bg-panel px-1.5 text-xs tabular',
                  selected === wait ? 'border-accent font-semibold text-accent' : 'border-line text-soft hover:text-ink',
                  troubled.has(wait) && 'border-caution',
                )}
                // below the name of an arm that it would stand upon
                style={{ left: (from.x + to.x) / 2, top: y + (standsUponArm(stretch, length) ? (report ? 43 : 27) : 9) }}
              >
                {length}
                {waiting ? <span className="block font-semibold text-ink">{plural(waiting, 'waits', 'wait')}</span> : null}
              </button>
            );
          })}

        {map.stretches
          .filter((stretch) => stretch.kind === 'part' || (stretch.kind === 'join' && stretch.armId))
          .map((stretch) => {
            const arm = armName(document, stretch.armId);
            const to = placed.get(stretch.to)!;
            const from = placed.get(stretch.from)!;
            if (!arm) return null;
            return (
              <span
                key={stretch.armId}
                className="pointer-events-none absolute whitespace-nowrap text-xs font-semibold"
                style={{
                  left: from.x + (stretch.lane === from.stop.lane ? 30 : 36),
                  top: laneY(stretch.lane) + 8,
                  maxWidth: to.x - from.x - 40,
                  color: laneColour(stretch.lane),
                }}
              >
                {arm}
                {report && (
                  <span className="block font-normal tabular text-ink">{plural(people.get(stretch.armId!) ?? 0, 'person', 'people')}</span>
                )}
              </span>
            );
          })}

        {map.stops.map((stop) => {
          const { x, y } = placed.get(stop.id)!;
          if (stop.kind === 'join')
            return (
              <span
                key={stop.id}
                className="absolute size-2.5 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 bg-panel"
                style={{ left: x, top: y, borderColor: laneColour(stop.lane) }}
              />
            );
          const step = planOf(document).steps.get(stop.id);
          const isOff = step?.kind === 'send' && Boolean(step.off);
          const isSelected = selected === targetOf(stop.id) && stop.id !== 'finish';
          const name = nameOf(stop, document);
          const figures = report?.steps.find((one) => one.id === stop.id);
          return (
            <Fragment key={stop.id}>
              <button
                type="button"
                data-stop={stop.id}
                tabIndex={isSelected && stop.id !== 'entry' ? 0 : -1}
                onClick={() => onSelect(targetOf(stop.id))}
                onKeyDown={(event) => onKey(event, stop.id)}
                aria-label={`${name}, ${sayWhen(stop)}${isOff ? ', off' : ''}`}
                aria-current={isSelected ? 'true' : undefined}
                className={clsx(
                  'absolute grid size-7 -translate-x-1/2 -translate-y-1/2 place-items-center border-[2.5px]',
                  stop.kind === 'end' ? 'rounded-[3px]' : stop.kind === 'branch' || stop.kind === 'test' ? 'rounded-md' : 'rounded-full',
                  isSelected ? 'text-on-accent' : 'bg-panel',
                  isOff && 'opacity-70',
                )}
                style={{
                  left: x,
                  top: y,
                  borderColor: troubled.has(stop.id) ? 'var(--caution)' : laneColour(stop.lane),
                  color: isSelected ? undefined : laneColour(stop.lane),
                  background: isSelected ? laneColour(stop.lane) : undefined,
                }}
              >
                <StopIcon kind={stop.kind} isOff={isOff} />
              </button>
              <span
                className={clsx(
                  'pointer-events-none absolute grid -translate-x-1/2 content-end text-center text-xs leading-[14px]',
                  isSelected && 'font-semibold',
                )}
                style={{ left: x, bottom: height - y + 19, width: GAP - 4 }}
              >
                <span className="line-clamp-3 [overflow-wrap:anywhere]">{name}</span>
              </span>
              {report && (
                <span
                  className="pointer-events-none absolute -translate-x-1/2 whitespace-nowrap text-center text-xs leading-[15px] tabular"
                  style={{ left: x, top: y + 20 }}
                >
                  {stop.kind === 'entry' && <b>{plural(report.entered, 'person', 'people')}</b>}
                  {figures?.kind === 'send' && (
                    <>
                      <b className="block bg-panel">{sayCount(figures.sent)} sent</b>
                      <span className="block bg-panel text-soft">{sayShare(figures.opened, figures.sent) ?? 'none'} opened</span>
                      <span className="block bg-panel text-soft">{sayShare(figures.clicked, figures.sent) ?? 'none'} clicked</span>
                      <span className="block bg-panel">{plural(figures.orders, 'order', 'orders')}</span>
                      <b className="block bg-panel">{sayMoney(figures.revenue)}</b>
                    </>
                  )}
                </span>
              )}
              {now && (now.get(stop.id) ?? 0) > 0 && step?.kind !== 'wait' && (
                <b
                  className="pointer-events-none absolute -translate-x-1/2 whitespace-nowrap rounded-md bg-ink px-1.5 text-xs leading-[18px] text-paper tabular"
                  style={{ left: x, top: y + 20 }}
                >
                  {plural(now.get(stop.id)!, 'person', 'people')}
                </b>
              )}
              {!report &&
                !(now && (now.get(stop.id) ?? 0) > 0) &&
                stop.kind !== 'entry' &&
                stop.kind !== 'trigger' &&
                stop.kind !== 'branch' &&
                stop.kind !== 'test' &&
                (stop.at > 0 || stop.most === null) && (
                  <span
                    className="pointer-events-none absolute -translate-x-1/2 whitespace-nowrap font-mono text-[11px] text-soft"
                    style={{ left: x, top: y + (isTight(stop.id) ? 31 : 17) }}
                  >
                    {stop.most !== null ? sayElapsed(stop.at) : stop.least ? `from ${sayElapsed(stop.least)}` : 'any time'}
                  </span>
                )}
            </Fragment>
          );
        })}
      </div>
    </div>
  );
}

/** When people come to a stop, as it is read out. */
const sayWhen = ({ at, least, most }: Stop): string =>
  most === null
    ? least
      ? `${sayElapsed(least)} after entry or later`
      : 'any time after entry'
    : at === 0
      ? 'at entry'
      : `${sayElapsed(at)} after entry`;

type Placed = ReadonlyMap<string, { stop: Stop; x: number; y: number }>;

/** A stretch runs along its own lane; where lanes part or join it bends within half a gap. */
function pathOf(stretch: Stretch, placed: Placed, y: number): string {
  const from = placed.get(stretch.from)!;
  const to = placed.get(stretch.to)!;
  const turn = Math.min(34, (to.x - from.x) / 2);
  const start =
    from.y === y ? `M${from.x} ${from.y}` : `M${from.x} ${from.y}C${from.x + turn} ${from.y} ${from.x} ${y} ${from.x + turn} ${y}`;
  const end = to.y === y ? `L${to.x} ${to.y}` : `L${to.x - turn} ${y}C${to.x} ${y} ${to.x - turn} ${to.y} ${to.x} ${to.y}`;
  return start + end;
}

function armName(document: FlowDocument, armId: string | null): string | null {
  for (const step of planOf(document).steps.values()) {
    const arms = armsOf(step);
    const arm = arms.find((one) => one.id === armId);
    if (arm) return arm.share === undefined ? arm.name : `${arm.name}, ${sayShares(arms, arm)}`;
  }
  return null;
}

function armPeople(report: FlowReport | null): Map<string, number> {
  return new Map(report?.steps.flatMap((step) => step.arms?.map((arm): [string, number] => [arm.id, arm.people]) ?? []) ?? []);
}

/** In the Results lens a lane is as wide as the share of people who took it. */
function widthOf(stretch: Stretch, all: readonly Stretch[], people: ReadonlyMap<string, number>, report: FlowReport | null): number {
  // a lane of its own belongs to one arm all along
  const armId = stretch.armId ?? (stretch.lane > 0 ? all.find((one) => one.lane === stretch.lane && one.armId)?.armId : null);
  if (!report || !armId || !report.entered) return report ? 5 : 4;
  return 2 + 8 * Math.min(1, (people.get(armId) ?? 0) / report.entered);
}

/** Ticks that have room: entry and the moments at which something stands come first. */
function ticksFor(moments: readonly { at: number }[], x: (ms: number) => number): { at: number; x: number }[] {
  const first = moments[0]!.at;
  const last = moments.at(-1)!.at;
  const chosen: { at: number; x: number }[] = [];
  const offer = (at: number) => {
    const place = { at, x: x(at) };
    if (chosen.every((one) => Math.abs(one.x - place.x) > 72)) chosen.push(place);
  };
  offer(0);
  for (const { at } of moments) offer(at);
  for (const at of TICKS) if (at > first && at < last) offer(at);
  return chosen.sort((a, b) => a.at - b.at);
}
