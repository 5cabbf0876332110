import { safeUrl } from '../text';
import type { Push, Sms } from './message';
import { personalise, type Personal } from './personalise';

/** A message as it goes out. Of a text message the subject is how it begins, of one on a locked screen its title; they have no HTML. */
export interface Rendered {
  readonly subject: string;
  readonly html: string;
  readonly text: string;
  /** where a message on a locked screen leads */
  readonly url?: string;
  /** the picture that stands in it */
  readonly picture?: string;
}

/** Where a rendered email's links lead. `track` wraps a link so that a click on it is counted. */
export interface Links {
  readonly unsubscribeUrl: string;
  /** where somebody chooses channels, topics or a pause; left out where there is no such page */
  readonly preferencesUrl?: string;
  readonly pixelUrl: string | null;
  readonly track: (url: string) => string;
  /** where an answer to a question of a letter is given, by the block that asks and how many of five */
  readonly rate?: (block: string, value: number) => string;
  /** where a file is fetched, by its key, and for how many days; for good where that is null */
  readonly download?: (file: string, days: number | null) => string;
}

const oneLine = (text: string) => text.replace(/[\r\n]+/g, ' ').trim();

/** Renders a text message, or one for a locked screen, for one person. Emails are laid out first: see the room of letters. */
export const renderText = (message: Sms | Push, personal: Personal, links: Pick<Links, 'track'>): Rendered =>
  message.channel === 'sms' ? renderSms(message, personal, links) : renderPush(message, personal, links);

/** What a marketing text says at its end, where it does not say it itself: how to get no more (common practice). */
export const HOW_TO_STOP = 'Reply STOP to end.';
/** A text with what it says at its end. */
export const withStop = (text: string, kind: Sms['kind']): string =>
  kind === 'marketing' && text && !/\bSTOP\b/.test(text) ? `${text}\n${HOW_TO_STOP}` : text;
const ADDRESS = /https?:\/\/[^\s<>"]+[^\s<>".,;:!?)\]]/g;

function renderSms(message: Sms, personal: Personal, links: Pick<Links, 'track'>): Rendered {
  const filled = personalise(message.text, personal).trim();
  const text = filled.replace(ADDRESS, (url) => {
    const safe = safeUrl(url);
    return safe ? links.track(safe) : url;
  });
  return { subject: oneLine(filled).slice(0, 80), html: '', text: withStop(text, message.kind) };
}

function renderPush(message: Push, personal: Personal, links: Pick<Links, 'track'>): Rendered {
  const url = safeUrl(personalise(message.url, personal).trim());
  const picture = safeUrl(personalise(message.picture ?? '', personal).trim());
  return {
    subject: oneLine(personalise(message.title, personal)),
    html: '',
    text: personalise(message.text, personal).trim(),
    ...(url && { url: links.track(url) }),
    ...(picture && { picture }),
  };
}
