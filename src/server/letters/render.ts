import { fillLetter, type Found } from '@/core/letters';
import { renderText, type Links, type Message, type Personal, type Rendered } from '@/core/messages';
import { letterOf, type Brands } from './press';

/** A message filled in for somebody, or why that cannot be done. */
export async function tryRender(
  message: Message,
  personal: Personal,
  links: Links,
  { brands, found = {} }: { readonly brands: Brands; readonly found?: Found | undefined },
): Promise<Rendered | { readonly problem: string }> {
  try {
    return message.channel === 'email'
      ? fillLetter(await letterOf(message, brands, personal.store.languages?.[0]), personal, links, found)
      : renderText(message, personal, links);
  } catch (error) {
    return { problem: `the message cannot be put together: ${(error as Error).message.split('\n')[0]!.slice(0, 200)}` };
  }
}
