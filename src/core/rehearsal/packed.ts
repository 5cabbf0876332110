import type { OnFile, RehearsalStore } from './rehearsal';

/** All that a rehearsal has to be told, so that it can be held anywhere: as JSON, with maps and sets written out. */
export interface RehearsalFacts {
  readonly store: RehearsalStore;
  readonly onFile?: OnFile;
}

/** Writes maps and sets as lists under a mark of their own, so that JSON can carry them. */
export const packed = (value: unknown): unknown =>
  JSON.parse(
    JSON.stringify(value, (_, one: unknown) =>
      one instanceof Map ? { $map: [...(one as Map<unknown, unknown>)] } : one instanceof Set ? { $set: [...(one as Set<unknown>)] } : one,
    ),
  );

/** Reads what {@link packed} wrote. */
export const unpacked = <T>(value: unknown): T =>
  JSON.parse(JSON.stringify(value), (_, one: unknown) =>
    one !== null && typeof one === 'object' && '$map' in one
      ? new Map(one.$map as [unknown, unknown][])
      : one !== null && typeof one === 'object' && '$set' in one
        ? new Set(one.$set as unknown[])
        : one,
  ) as T;
