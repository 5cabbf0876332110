/** A name of an attribute or of an event's property: a letter or _ first, then letters, digits, _ . and -, at most 80 characters. */
export const NAME = /^[\p{L}_][\p{L}\p{N}_.-]{0,79}$/u;

/** Whether a text can be such a name; what every object inherits is none. */
export const isName = (text: string): boolean => text !== '__proto__' && NAME.test(text);
