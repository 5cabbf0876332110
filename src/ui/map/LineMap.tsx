'use client';

import { clsx } from 'clsx';
import { Maximize2, Minus, Plus } from 'lucide-react';
import {
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
  type FocusEvent,
  type KeyboardEvent,
  type MouseEvent,
  type PointerEvent,
} from 'react';
import { armsOf, planOf, sayStep, type FlowDocument } from '@/core/flows';
import { aimOf, letGo, spotAt, type Spot } from './aim';
import { drawingOf, targetOf, type Drawing } from './drawing';
import { Ghost, type GhostOf } from './Ghost';
import { PLAIN_LAYER, type MapLayer } from './layer';
import { MapStop } from './MapStop';
import { ArmLabel, Lines, WaitLabel } from './Stretches';

/** What can be done on the map while a flow is edited. */
export interface MapEditing {
  readonly edit: (to: FlowDocument, tag?: string) => void;
  /** asks what to put in at a spot; `at` is its place on the screen */
  readonly onAdd: (spot: Spot, at: { x: number; y: number }) => void;
  /** a key that is not about the map itself; answers whether it meant anything */
  readonly onKey: (event: KeyboardEvent, id: string) => boolean;
}

interface Props {
  readonly document: FlowDocument;
  readonly selected: string;
  /** steps that are chosen together with it */
  readonly chosen: ReadonlySet<string>;
  readonly onSelect: (id: string, how?: { extend: boolean }) => void;
  readonly onOpen: (id: string) => void;
  readonly layer?: MapLayer;
  readonly troubled: ReadonlySet<string>;
  /** steps that are other than in the version that is on */
  readonly changed?: ReadonlySet<string> | undefined;
  readonly editing?: MapEditing | undefined;
}

/** How far the pointer goes before a press is a drag, and how near to a line it can put something in, in pixels. */
const DRAGS_FROM = 4;
const NEAR_LINE = 16;
const ZOOMS = [0.1, 0.15, 0.25, 0.35, 0.5, 0.65, 0.8, 1, 1.25, 1.5, 2] as const;

/** How stops are read out: what they do, when, and in which lane. */
function labelsOf(document: FlowDocument, drawing: Drawing): Map<string, string> {
  const lanes = new Map<string, string>();
  for (const step of planOf(document).steps.values())
    for (const arm of armsOf(step)) for (const one of arm.steps) lanes.set(one.id, arm.name);
  return new Map(
    drawing.stops.map(({ stop, name, when }) => {
      const step = planOf(document).steps.get(stop.id);
      const does = step && step.kind !== 'wait' ? sayStep(step).replace(/[“”]/g, '') : name;
      const off = step?.kind === 'send' && step.off ? ', off' : '';
      const lane = lanes.get(stop.id);
      return [stop.id, `${does}, ${when}${lane ? `, lane ${lane}` : ''}${off}`];
    }),
  );
}

/** A flow drawn against the time since entry, like lines on a map of a railway. Arrow keys walk its stops and waits. */
export function LineMap({ document, selected, chosen, onSelect, onOpen, layer = PLAIN_LAYER, troubled, changed, editing }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const sheet = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 640, height: 560 });
  const [zoom, setZoom] = useState(1);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setRoom({ width: Math.floor(entry.contentRect.width), height: Math.floor(entry.contentRect.height) }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const hasBadges = layer.badges !== undefined;
  const drawing = useMemo(() => drawingOf(document, room, { figures: layer.height, hasBadges }), [document, room, layer.height, hasBadges]);
  const labels = useMemo(() => labelsOf(document, drawing), [document, drawing]);
  const { steps } = planOf(document);
  const show = useRef<((ghost: GhostOf | null) => void) | null>(null);
  const setGhost = useCallback((ghost: GhostOf | null) => show.current?.(ghost), []);
  const drag = useRef<{ id: string | null; x: number; y: number; left: number; top: number; isMoving: boolean; isOver: boolean } | null>(
    null,
  );

  const hasDragged = useRef(false);
  const isWalking = useRef(false);
  const isPressed = useRef(false);

  /** Changes the zoom, so that the point of the frame stays where it is. */
  const zoomTo = useCallback(
    (next: number, at?: { x: number; y: number }) => {
      const element = frame.current;
      if (!element) return;
      const { x, y } = at ?? { x: element.clientWidth / 2, y: element.clientHeight / 2 };
      const [left, top] = [((element.scrollLeft + x) / zoom) * next - x, ((element.scrollTop + y) / zoom) * next - y];
      setZoom(next);
      requestAnimationFrame(() => element.scrollTo(left, top));
    },
    [zoom],
  );
  const step = (by: 1 | -1) => (by > 0 ? ZOOMS.find((one) => one > zoom + 0.001) : ZOOMS.findLast((one) => one < zoom - 0.001)) ?? zoom;
  const fit = () => {
    setZoom(Math.max(0.05, Math.min(1, room.width / drawing.width, room.height / drawing.height)));
    frame.current?.scrollTo(0, 0);
  };
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.metaKey) return;
      event.preventDefault();
      const box = element.getBoundingClientRect();
      zoomTo(Math.min(2, Math.max(0.05, zoom * Math.exp(-event.deltaY / 400))), {
        x: event.clientX - box.left,
        y: event.clientY - box.top,
      });
    };
    // the page itself must not be zoomed
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [zoom, zoomTo]);

  const pointOf = (event: { clientX: number; clientY: number }) => {
    const box = sheet.current!.getBoundingClientRect();
    return { x: (event.clientX - box.left) / zoom, y: (event.clientY - box.top) / zoom };
  };
  const onScreen = ({ x, y }: { x: number; y: number }) => {
    const box = sheet.current!.getBoundingClientRect();
    return { x: box.left + x * zoom, y: box.top + y * zoom };
  };
  const idAt = (target: EventTarget) => (target as Element).closest<HTMLElement>('[data-stop]')?.dataset.stop ?? null;
  const canDrag = (id: string) => editing !== undefined && steps.has(id) && steps.get(id)?.kind !== 'wait';

  const onPointerDown = (event: PointerEvent) => {
    isPressed.current = true;
    setTimeout(() => (isPressed.current = false));
    if (event.button !== 0 || !frame.current) return;
    const id = idAt(event.target);
    if (id === null && (event.target as Element).closest('button')) return;
    const { scrollLeft: left, scrollTop: top } = frame.current;
    drag.current = {
      id: id !== null && canDrag(id) ? id : null,
      x: event.clientX,
      y: event.clientY,
      left,
      top,
      isMoving: false,
      isOver: id !== null,
    };
  };
  const onPointerMove = (event: PointerEvent) => {
    const at = drag.current;
    if (!at) {
      if (editing && event.pointerType === 'mouse') hover(event);
      return;
    }
    const [dx, dy] = [event.clientX - at.x, event.clientY - at.y];
    if (!at.isMoving) {
      if (Math.hypot(dx, dy) < DRAGS_FROM) return;
      at.isMoving = true;
      frame.current?.setPointerCapture(event.pointerId);
    }
    if (at.id !== null) {
      const aim = aimOf(drawing, document, at.id, pointOf(event), event.altKey);
      setGhost({ kind: 'drag', id: at.id, aim });
    } else if (!at.isOver) frame.current?.scrollTo(at.left - dx, at.top - dy);
  };
  const hover = (event: PointerEvent) => {
    const over = (event.target as Element).closest('button');
    if (over) {
      // the sign itself stays as long as the pointer is on it
      if (!over.dataset.adds) setGhost(null);
      return;
    }
    const spot = spotAt(drawing, document, pointOf(event), NEAR_LINE);
    setGhost(spot && { kind: 'add', spot });
  };
  const onPointerUp = (event: PointerEvent) => {
    const at = drag.current;
    drag.current = null;
    if (!at?.isMoving) return;
    frame.current?.releasePointerCapture(event.pointerId);
    // the press was a drag: the click that follows at once means nothing
    hasDragged.current = true;
    setTimeout(() => (hasDragged.current = false));
    if (at.id === null || !editing) return;
    setGhost(null);
    const next = letGo(document, at.id, aimOf(drawing, document, at.id, pointOf(event), event.altKey));
    if (next !== document) editing.edit(next, '');
    onSelect(targetOf(at.id));
  };
  const cancel = () => {
    drag.current = null;
    setGhost(null);
  };
  const onClick = (event: MouseEvent) => {
    if (hasDragged.current) return;
    const target = event.target as Element;
    const id = idAt(target);
    const also = target.closest<HTMLElement>('[data-select]')?.dataset.select;
    if (id !== null || also !== undefined) return onSelect(targetOf(id ?? also!), { extend: event.shiftKey });
    if (target.closest('button') || !editing) return;
    const spot = spotAt(drawing, document, pointOf(event), NEAR_LINE);
    if (spot) editing.onAdd(spot, onScreen(spot));
  };

  // whatever brings the keyboard to a stop selects it, so that keys are about that stop
  const onFocus = (event: FocusEvent) => {
    const id = idAt(event.target);
    if (id !== null && !isWalking.current && !isPressed.current && targetOf(id) !== selected) onSelect(targetOf(id));
  };
  const focusOn = (id: string) => frame.current?.querySelector<HTMLElement>(`[data-stop="${CSS.escape(id)}"]`)?.focus();
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Escape' && drag.current) return cancel();
    const id = idAt(event.target);
    if (id === null) return;
    if (!event.altKey && !event.ctrlKey && !event.metaKey) {
      const next = walkFrom(drawing, id, event.key);
      if (next !== undefined) {
        event.preventDefault();
        if (next === null) return;
        onSelect(targetOf(next), { extend: event.shiftKey });
        isWalking.current = true;
        focusOn(next);
        isWalking.current = false;
        return;
      }
      if (event.key === 'Enter') {
        event.preventDefault();
        onSelect(targetOf(id));
        return onOpen(targetOf(id));
      }
      const zooms = event.key === '+' || event.key === '=' ? step(1) : event.key === '-' ? step(-1) : event.key === '0' ? 1 : null;
      if (zooms !== null) return zoomTo(zooms);
    }
    if (editing?.onKey(event, targetOf(id))) event.preventDefault();
  };

  const isSelected = (id: string) => selected === targetOf(id) && id !== 'finish';
  const hasSelected =
    drawing.stops.some(({ stop }) => isSelected(stop.id)) || drawing.stretches.some(({ wait }) => wait && selected === wait.id);
  const isFocus = (id: string) => (hasSelected ? isSelected(id) && id !== 'trigger' : id === 'entry');

  return (
    <div className="relative h-full">
      <div
        ref={frame}
        className={clsx('h-full overflow-auto', editing && 'select-none')}
        data-testid="line-map"
        role="group"
        aria-label="Line map"
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        onPointerCancel={cancel}
        onPointerLeave={() => !drag.current && setGhost(null)}
        onClick={onClick}
        onKeyDown={onKeyDown}
        onFocus={onFocus}
      >
        <div style={{ width: drawing.width * zoom, height: drawing.height * zoom }} className="overflow-hidden">
          <div
            ref={sheet}
            className="relative origin-top-left"
            style={{ width: drawing.width, height: drawing.height, transform: zoom === 1 ? undefined : `scale(${zoom})` }}
          >
            <Lines drawing={drawing} widths={layer.widths} lit={layer.lit} />
            <span className="absolute left-2 top-1 text-xs text-soft" data-text="axis">
              Time since entry
            </span>
            {drawing.stretches.map((placed) => (
              <ArmLabel
                key={`arm ${placed.key}`}
                placed={placed}
                column={drawing.column}
                more={placed.arm ? layer.arms?.get(placed.arm.id) : undefined}
                isPale={layer.lit !== undefined && !layer.lit.has(placed.key)}
              />
            ))}
            {drawing.stretches.map(
              (placed) =>
                placed.wait && (
                  <WaitLabel
                    key={`wait ${placed.key}`}
                    placed={placed}
                    isSelected={selected === placed.wait.id}
                    isChosen={chosen.has(placed.wait.id)}
                    isTroubled={troubled.has(placed.wait.id)}
                    isFocus={selected === placed.wait.id}
                    badge={layer.badges?.get(`wait ${placed.wait.id}`)}
                  />
                ),
            )}
            {drawing.stops.map((placed) => {
              const { id } = placed.stop;
              const step = steps.get(id);
              return (
                <MapStop
                  key={id}
                  placed={placed}
                  height={drawing.height}
                  column={drawing.column}
                  figuresAt={drawing.figuresAt}
                  label={labels.get(id)!}
                  isSelected={isSelected(id)}
                  isChosen={chosen.has(id)}
                  isOff={step?.kind === 'send' && Boolean(step.off)}
                  isTroubled={troubled.has(id)}
                  isChanged={changed?.has(id) ?? false}
                  isPale={layer.lit !== undefined && !layer.lit.has(id)}
                  isFocus={isFocus(id)}
                  canDrag={canDrag(id)}
                  lines={layer.lines?.get(id)}
                  badge={layer.badges?.get(id)}
                />
              );
            })}
            {layer.overlay?.(drawing)}
            {editing && <Ghost drawing={drawing} register={show} onAdd={(spot) => editing.onAdd(spot, onScreen(spot))} />}
          </div>
        </div>
      </div>
      <div
        className="absolute bottom-2 right-3 flex items-center rounded-md border border-line bg-panel text-xs"
        role="group"
        aria-label="Zoom"
      >
        <ZoomButton name="Smaller" onClick={() => zoomTo(step(-1))} isOff={zoom <= ZOOMS[0]}>
          <Minus size={14} aria-hidden="true" />
        </ZoomButton>
        <button type="button" className="h-7 w-12 tabular hover:bg-wash" title="As large as it is" onClick={() => zoomTo(1)}>
          {Math.round(zoom * 100)} %
        </button>
        <ZoomButton name="Larger" onClick={() => zoomTo(step(1))} isOff={zoom >= 2}>
          <Plus size={14} aria-hidden="true" />
        </ZoomButton>
        <ZoomButton name="Show all of it" onClick={fit} isOff={false}>
          <Maximize2 size={14} aria-hidden="true" />
        </ZoomButton>
      </div>
    </div>
  );
}

const ZoomButton = ({
  name,
  onClick,
  isOff,
  children,
}: {
  name: string;
  onClick: () => void;
  isOff: boolean;
  children: React.ReactNode;
}) => (
  <button
    type="button"
    aria-label={name}
    title={name}
    disabled={isOff}
    onClick={onClick}
    className="grid h-7 w-7 place-items-center rounded-md hover:bg-wash disabled:opacity-40"
  >
    {children}
  </button>
);

/** Where an arrow key leads from a stop or wait: null where there is nothing that way, undefined for any other key. */
function walkFrom(drawing: Drawing, id: string, key: string): string | null | undefined {
  const points = [
    ...drawing.stops.filter(({ stop }) => stop.kind !== 'join').map(({ stop, x, y }) => ({ id: stop.id, x, y })),
    ...drawing.stretches.flatMap(({ wait, stretch, from, to, y }) =>
      wait && wait.id !== 'trigger' && wait.id !== stretch.from ? [{ id: wait.id, x: (from.x + to.x) / 2, y }] : [],
    ),
  ];
  const here = points.find((one) => one.id === id);
  if (!here) return undefined;
  const ways: Record<string, (dx: number, dy: number) => number | null> = {
    ArrowRight: (dx, dy) => (dx > 0 ? dx + Math.abs(dy) * 1.5 : null),
    ArrowLeft: (dx, dy) => (dx < 0 ? -dx + Math.abs(dy) * 1.5 : null),
    ArrowDown: (dx, dy) => (dy > 0 ? dy + Math.abs(dx) : null),
    ArrowUp: (dx, dy) => (dy < 0 ? -dy + Math.abs(dx) : null),
  };
  const far = ways[key];
  if (!far) return undefined;
  let best: string | null = null;
  let nearest = Infinity;
  for (const one of points) {
    const distance = far(one.x - here.x, one.y - here.y);
    if (distance === null || distance >= nearest) continue;
    nearest = distance;
    best = one.id;
  }
  return best;
}
