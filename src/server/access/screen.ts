import type { Metadata } from 'next';
import { notFound, redirect } from 'next/navigation';
import type { ReactNode } from 'react';
import { isOutage } from '@/data/db';
import { noteOutage, Problem } from '../http';
import { signedIn, type SignedIn } from './session';

/** Who is signed in; whoever is not is led to the sign-in page before anything is read. */
export async function signedInOrLeave(): Promise<SignedIn> {
  return (await signedIn()) ?? redirect('/sign-in');
}

/** The same; whoever has to set up a second factor first is led to where that is done. */
async function securedOrLed(): Promise<SignedIn> {
  const user = await signedInOrLeave();
  return user.lacksSecond ? redirect('/account') : user;
}

/**
 * Wraps a page for people who are signed in. A page and its frame are made at the same time, so each looks for itself
 * who is asking, and nothing is read for a stranger. What is not on file is shown as not found.
 */
export function screen<Props>(
  render: (props: Props, user: SignedIn) => ReactNode | Promise<ReactNode>,
  { isOpen = false }: { /** shown also to who has to set up a second factor first */ readonly isOpen?: boolean } = {},
): (props: Props) => Promise<ReactNode> {
  return async (props) => orNotFound(async () => render(props, await (isOpen ? signedInOrLeave() : securedOrLed())));
}

/** The same for what stands in a page's head. */
export function screenTitle<Props>(titleOf: (props: Props) => Promise<string>): (props: Props) => Promise<Metadata> {
  return async (props) =>
    orNotFound(async () => {
      await securedOrLed();
      return { title: await titleOf(props) };
    });
}

async function orNotFound<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof Problem && error.status < 500) notFound();
    if (isOutage(error)) {
      noteOutage();
      throw new Error('The database cannot be reached at the moment. Try again in a few seconds.', { cause: error });
    }
    throw error;
  }
}

/** A part of a page's address as it was meant: pages get it as it stands in the address, decoded once here. */
export function partOf(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    notFound();
  }
}
