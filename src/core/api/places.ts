import type { CountryGroup, Point } from '../places';

/** Where a postcode lies. */
export interface PlaceView extends Point {
  readonly country: string;
  readonly postcode: string;
}

/** How many postcodes are on file, by country. */
export interface PlacesView {
  readonly total: number;
  readonly countries: readonly { readonly country: string; readonly places: number }[];
}

/** Currencies of which rates are on file: over which days, and what one unit was worth last. */
export interface RatesView {
  /** the store's own */
  readonly currency: string;
  readonly rates: readonly {
    readonly currency: string;
    readonly days: number;
    readonly first: string;
    readonly last: string;
    readonly rate: number;
  }[];
}

export interface CountryGroupsView {
  readonly groups: readonly CountryGroup[];
}
