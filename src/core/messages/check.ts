import { safeUrl } from '../text';
import { everyBlock, fieldsOfBlock, type Block } from './block';
import { blocksOf, textsOf, type Message } from './message';
import { renderProblem } from './people';
import { placeholderProblem, withoutFallback } from './personalise';
import { MOST_PARTS, smsLength } from './sms';

/** Something about a message that is to be mended, with the place: a field of it, or a field of one of its blocks. */
export interface MessageFinding {
  readonly code: string;
  /** what stops a publishing, and what only warns */
  readonly level: 'stops' | 'warns';
  readonly says: string;
  readonly mend: string;
  readonly block?: string;
  readonly field?: string;
}

/** How many letters of a subject most inboxes show on a screen, and on a phone (common practice). */
export const SUBJECT_SHOWS = { wide: 60, narrow: 38 } as const;

/** At which size in bytes mail programs commonly cut a letter (common practice). */
export const CUT_AT_BYTES = 102 * 1024;

/**
 * Looks a message over before it goes out to anybody.
 * @param name what it is called where it is told of; left out where it is being written
 * @param startedBy the types of events that start its flow, so that a cart is not asked of what has none
 */
export function checkMessage(
  message: Message,
  { name, startedBy = [] }: { name?: string; startedBy?: readonly string[] } = {},
): MessageFinding[] {
  const found: MessageFinding[] = [];
  const it = name === undefined ? 'This message' : `“${name}”`;
  const inIt = name === undefined ? 'This' : `In “${name}” this`;
  const ofIt = name === undefined ? '' : ` of “${name}”`;
  const add = (
    level: MessageFinding['level'],
    code: string,
    says: string,
    mend: string,
    place: Pick<MessageFinding, 'block' | 'field'> = {},
  ) => found.push({ code, level, says, mend, ...place });
  const blocks = everyBlock(blocksOf(message));
  const has = (...kinds: Block['kind'][]) => blocks.some((block) => kinds.includes(block.kind));

  if (message.channel === 'email') {
    const subject = { field: 'subject' };
    if (!message.subject.trim()) add('stops', 'no-subject', `${it} has no subject`, 'Write a subject line.', subject);
    else {
      const bare = message.subject.replace(/\{[{%].*?[%}]\}/g, '').trim();
      if (/\p{Lu}/u.test(bare) && bare.length > 7 && bare === bare.toUpperCase() && /\p{L}.*\p{L}/u.test(bare))
        add(
          'warns',
          'subject-shouts',
          `The subject${ofIt} is all capitals`,
          'Write it as a sentence: capitals read as shouting, and filters count them.',
          subject,
        );
      if (bare.length > SUBJECT_SHOWS.wide)
        add(
          'warns',
          'subject-long',
          `The subject${ofIt} has ${bare.length} letters, and inboxes show about ${SUBJECT_SHOWS.wide} of it, ${SUBJECT_SHOWS.narrow} on a phone`,
          'Let what matters come first, or make it shorter.',
          subject,
        );
    }
    if (
      !textsOf(message)
        .slice(2)
        .some((text) => text.trim()) &&
      !has('cart', 'order', 'products', 'feed', 'picture')
    )
      add('stops', 'no-text', `${it} is empty`, 'Write its text.');
  } else if (!message.text.trim()) add('stops', 'no-text', `${it} is empty`, 'Write its text.', { field: 'text' });
  if (message.channel === 'push' && !message.title.trim())
    add('stops', 'no-subject', `${it} has no title`, 'Write what stands first on the screen.', { field: 'title' });
  if (message.channel === 'sms') {
    const { parts, alphabet } = smsLength(message.text);
    if (parts > MOST_PARTS)
      add(
        'stops',
        'text-too-long',
        `${it} is ${parts} text messages long, and at most ${MOST_PARTS} go out as one`,
        'Make it shorter: what is longer would not go out.',
        { field: 'text' },
      );
    else if (parts > 3)
      add(
        'warns',
        'text-long',
        `${it} goes out as ${parts} text messages, and is paid as such`,
        alphabet === 'UCS-2' ? 'A sign beyond the plain alphabet makes each part shorter: 67 letters instead of 153.' : 'Make it shorter.',
        { field: 'text' },
      );
  }

  let isReadable = true;
  for (const { text, ...place } of writtenIn(message, blocks)) {
    const problem = placeholderProblem(text);
    if (problem) {
      isReadable = false;
      add(
        'stops',
        'placeholder-unreadable',
        `${name === undefined ? 'Here' : `In “${name}”`} ${problem}`,
        'Correct or remove the placeholder.',
        place,
      );
      continue;
    }
    for (const path of withoutFallback(text))
      add(
        'warns',
        'no-fallback',
        `{{ ${path} }}${name === undefined ? '' : ` in “${name}”`} has no fallback`,
        `Write {{ ${path} | fallback: "…" }} for people whose ${path.replace('person.', '')} is not known.`,
        place,
      );
  }
  const beyond = isReadable ? renderProblem(message) : null;
  if (beyond)
    add(
      'stops',
      'too-much-work',
      `${it} cannot be put together: ${beyond}`,
      'It has more work to do than a message may, such as a loop that goes on too long; make it shorter.',
    );

  for (const block of blocks) for (const one of checkBlock(block, { inIt, ofIt })) found.push({ ...one, block: block.id });
  const offer = blocks.find(({ kind }) => kind === 'offer');
  if (message.kind === 'service' && offer)
    add(
      'stops',
      'offer-in-service',
      `${it} is a service message with an offer`,
      'Service messages carry no offers: make it marketing or take the offer out.',
      { block: offer.id },
    );
  if (message.channel === 'email' && message.kind === 'marketing' && message.attachments?.length)
    add(
      'stops',
      'files-in-marketing',
      `${it} is marketing with files attached`,
      'Only service messages carry files: link to them instead.',
      {
        field: 'attachments',
      },
    );
  const cart = blocks.find(({ kind }) => kind === 'cart');
  const other = startedBy.find((type) => !/^(cart|product)\./.test(type));
  if (message.kind === 'marketing' && cart && other !== undefined)
    add('warns', 'cart-without-cart', `${it} shows a cart, but ${other} starts this flow`, 'Only events of a cart carry its items.', {
      block: cart.id,
    });
  const order = blocks.find(({ kind }) => kind === 'order');
  const notOrder = startedBy.find((type) => !type.startsWith('order.'));
  if (order && notOrder !== undefined)
    add(
      'warns',
      'order-without-order',
      `${it} shows an order, but ${notOrder} starts this flow`,
      'Only events of an order carry its items.',
      {
        block: order.id,
      },
    );
  return found;
}

/** Every text of a message with its place. */
function writtenIn(message: Message, blocks: readonly Block[]): { text: string; field: string; block?: string }[] {
  switch (message.channel) {
    case 'sms':
      return [{ text: message.text, field: 'text' }];
    case 'push':
      return (['title', 'text', 'url', 'picture'] as const).map((field) => ({ text: message[field] ?? '', field }));
    case 'email':
      return [
        ...(['subject', 'preview'] as const).map((field) => ({ text: message[field], field })),
        ...blocks.flatMap((block) => Object.entries(fieldsOfBlock(block)).map(([field, text]) => ({ text, field, block: block.id }))),
      ];
  }
}

/** Whether an address that is written out leads nowhere; one with a placeholder is known when it is filled in. */
const leadsNowhere = (address: string): boolean => !address.includes('{{') && !safeUrl(address.trim());
const LINK = /\]\(\s*([^)\s]*)[^)]*\)/g;

function checkBlock(block: Block, { inIt, ofIt }: { inIt: string; ofIt: string }): MessageFinding[] {
  const found: MessageFinding[] = [];
  const add = (level: MessageFinding['level'], code: string, says: string, mend: string, field?: string) =>
    found.push({ code, level, says, mend, ...(field !== undefined && { field }) });
  const nowhere = (what: string, field: string) =>
    add(
      'stops',
      'link-leads-nowhere',
      `${what}${ofIt} leads nowhere`,
      'Write an address that begins with https://; without one it is left out of the message, or leads nowhere.',
      field,
    );
  switch (block.kind) {
    case 'button':
      if (leadsNowhere(block.url)) nowhere(`The button “${block.label}”`, 'url');
      break;
    case 'text':
    case 'note':
    case 'offer':
      for (const [, address] of block.text.matchAll(LINK)) if (leadsNowhere(address!)) nowhere(`A link to “${address}”`, 'text');
      if (block.kind === 'note' && !block.name.trim())
        add('warns', 'note-without-name', `A note${ofIt} is signed by nobody`, 'Write whose words they are.', 'name');
      break;
    case 'picture':
      if (block.link !== undefined && leadsNowhere(block.link)) nowhere(`The picture “${block.alt}”`, 'link');
      if (leadsNowhere(block.url))
        add(
          'stops',
          'picture-without-address',
          `A picture${ofIt} has no address`,
          'Write the address of the picture, beginning with https://; without one it is left out of the message.',
          'url',
        );
      else if (!block.alt.trim())
        add(
          'warns',
          'picture-without-words',
          `A picture${ofIt} says nothing to who cannot see it`,
          'Write what it shows: many mail programs hide pictures at first, and some people never see them.',
          'alt',
        );
      break;
    case 'products':
      if (block.from.by === 'chosen' && !block.from.skus.length)
        add('stops', 'no-products', `Products chosen by hand${ofIt} are none yet`, 'Choose some, or let a rule find them.', 'from');
      break;
    case 'download':
      if (!block.file) add('stops', 'no-file', `A file to fetch${ofIt} is none yet`, 'Choose the file, or take it out.', 'file');
      else if (!block.label.trim())
        add('stops', 'file-without-words', `A file to fetch${ofIt} has no words`, 'Say what it is: they are the link to it.', 'label');
      break;
    case 'feed':
      if (!block.feed) add('stops', 'no-feed', `A feed${ofIt} names none that is read`, 'Choose a feed, or take it out.', 'feed');
      break;
    case 'html':
      if (/<(script|style|form|iframe|object)\b/i.test(block.html))
        add(
          'warns',
          'html-cleaned',
          `${inIt} HTML holds what mail programs do not run; it is taken out`,
          'Leave only text, pictures, links and tables.',
          'html',
        );
      break;
  }
  return found;
}
