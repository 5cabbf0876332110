/** The address of who is calling: the one word of `x-forwarded-for`, which the front door has put there itself. */
export function callerAddress(headers: Headers): string {
  return headers.get('x-forwarded-for')?.split(',')[0]?.trim() ?? '';
}
