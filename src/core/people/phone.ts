import { parsePhoneNumberFromString, type CountryCode } from 'libphonenumber-js';

/**
 * A phone number in the form of ITU-T E.164 (`+31612345678`), or null when it cannot be one. A number without its
 * country code is read as one of `country` (ISO 3166 alpha-2).
 */
export function normalisePhone(text: string, country: string | null): string | null {
  // E.164 allows 15 digits; anything far beyond is not worth reading
  if (text.length > 40) return null;
  const number = parsePhoneNumberFromString(text, (country ?? undefined) as CountryCode | undefined);
  // by its length: number ranges are opened faster than any list of them is kept
  return number?.isPossible() ? number.number : null;
}
