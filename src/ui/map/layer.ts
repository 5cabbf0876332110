import type { ReactNode } from 'react';
import type { Drawing } from './drawing';

/** One line of figures below a stop. */
export interface FigureLine {
  readonly text: string;
  readonly tone: 'strong' | 'plain' | 'soft';
}

/** What a lens shows over the same stops: figures, badges, how wide the lanes are, and who moves along them. */
export interface MapLayer {
  /** how much height the figures below a stop want, in pixels */
  readonly height: number;
  /** figures below a stop */
  readonly lines?: ReadonlyMap<string, readonly FigureLine[]>;
  /** how many are at a stop or in a wait at this moment */
  readonly badges?: ReadonlyMap<string, string>;
  /** a second line below the name of an arm */
  readonly arms?: ReadonlyMap<string, string>;
  /** how wide a stretch is, by its key; 4 where it is left out */
  readonly widths?: ReadonlyMap<string, number>;
  /** what is on the way that is shown; all else is paler */
  readonly lit?: ReadonlySet<string>;
  /** drawn over the map */
  readonly overlay?: (drawing: Drawing) => ReactNode;
}

export const PLAIN_LAYER: MapLayer = { height: 0 };
