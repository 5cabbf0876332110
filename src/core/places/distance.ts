/** A place on the earth, in degrees. */
export interface Point {
  readonly latitude: number;
  readonly longitude: number;
}

/** The mean radius of the earth in kilometres (IUGG, R₁). */
export const EARTH_KM = 6371.0088;
/** A mile in kilometres, by definition. */
export const MILE_KM = 1.609344;

const radians = (degrees: number): number => (degrees * Math.PI) / 180;

/**
 * How far two places are apart in kilometres, along the surface of a sphere (haversine formula). The earth is no sphere: the
 * distance may be off by up to 0.57 %.
 */
export function distanceKm(a: Point, b: Point): number {
  const [up, side] = [Math.sin(radians(b.latitude - a.latitude) / 2), Math.sin(radians(b.longitude - a.longitude) / 2)];
  const h = up * up + Math.cos(radians(a.latitude)) * Math.cos(radians(b.latitude)) * side * side;
  return 2 * EARTH_KM * Math.asin(Math.min(1, Math.sqrt(h)));
}

/** A postcode as it is looked up: with its country's code, in capitals, without spaces. */
export const placeKey = (country: string, postcode: string): string => `${country}/${postcode.replace(/\s+/g, '').toUpperCase()}`;
