import { layout, type FlowDocument } from '@/core/flows';

/** How wide each stretch of a map is drawn where `people` took its arm, of `all` who entered: by the key of the stretch, in pixels. */
export function drawnWidths(document: FlowDocument, people: ReadonlyMap<string, number>, all: number): Map<string, number> {
  const { stretches } = layout(document);
  const widths = new Map<string, number>();
  for (const { from, to, lane, armId } of stretches) {
    // a lane of its own belongs to one arm all along
    const arm = armId ?? (lane > 0 ? stretches.find((one) => one.lane === lane && one.armId)?.armId : null);
    const share = arm && all ? Math.min(1, (people.get(arm) ?? 0) / all) : 1;
    widths.set(`${from}>${to}>${lane}`, arm ? 2 + 8 * share : all ? 7 : 4);
  }
  return widths;
}
