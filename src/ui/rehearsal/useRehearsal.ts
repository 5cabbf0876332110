'use client';

import { useQueries } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import type { FlowDocument, RehearsedPerson } from '@/core/flows';
import type { Rehearsed } from '@/core/rehearsal';
import { api } from '../kit';
import type { RehearsalAnswer, RehearsalAsked } from './asked';

/** Somebody who is sent through. */
export interface Sent {
  readonly id: string;
  readonly name: string;
  readonly one: RehearsedPerson;
}

export interface Came {
  /** the moment at which it begins, in milliseconds; null as long as it is not known */
  readonly now: number | null;
  readonly came: ReadonlyMap<string, Rehearsed>;
  readonly problems: ReadonlyMap<string, string>;
  readonly isBusy: boolean;
}

interface Facts {
  readonly store: { readonly now: number };
}

/**
 * Sends people through a draft as it stands, beside the screen. The server is asked once for what is known; each change of the draft, of
 * the people or of what happens to them is answered here.
 */
export function useRehearsal(key: string, revision: number, document: FlowDocument, people: readonly Sent[]): Came {
  const worker = useRef<Worker | null>(null);
  const number = useRef(0);
  const sent = useRef(new Map<string, unknown>());
  const asks = useRef(people);
  asks.current = people;
  const [state, setState] = useState<Omit<Came, 'now'>>({ came: new Map(), problems: new Map(), isBusy: true });

  // whom the facts are about: everybody made up shares what is known of the store
  const asked = [...new Set(people.map(({ one }) => one.person?.trim() ?? ''))];
  const facts = useQueries({
    queries: asked.map((person) => ({
      queryKey: ['rehearsal', key, revision, person],
      queryFn: () => api<Facts>(`/flows/${key}/rehearse${person ? `?person=${encodeURIComponent(person)}` : ''}`),
      retry: false,
      // a rehearsal goes on from the moment at which it was begun
      staleTime: Infinity,
    })),
    combine: (answers) => ({
      byPerson: new Map(asked.map((person, index) => [person, answers[index]])),
      stamp: answers.map((one) => `${one.dataUpdatedAt}/${one.errorUpdatedAt}`).join(),
    }),
  });

  useEffect(() => {
    const made = new Worker(new URL('./rehearsal.worker.ts', import.meta.url), { type: 'module' });
    worker.current = made;
    sent.current = new Map();
    made.addEventListener('message', ({ data }: MessageEvent<RehearsalAnswer>) => {
      // an answer to what has been changed since is out of date
      if (data.number !== number.current) return;
      setState({
        came: new Map(data.people.flatMap(({ id, came }) => (came ? [[id, came]] : []))),
        problems: new Map(data.people.flatMap(({ id, problem }) => (problem ? [[id, problem]] : []))),
        isBusy: false,
      });
    });
    // one that cannot be loaded answers nothing: that is told, and not waited for
    made.addEventListener('error', () =>
      setState({
        came: new Map(),
        problems: new Map(asks.current.map(({ id }) => [id, 'The rehearsal could not be loaded. Load the page again.'])),
        isBusy: false,
      }),
    );
    return () => made.terminate();
  }, []);

  useEffect(() => {
    const ready = people.flatMap(({ id, one }) => {
      const person = one.person?.trim() ?? '';
      const answer = facts.byPerson.get(person);
      return answer?.data ? [{ id, one, facts: answer.data as unknown }] : [];
    });
    const failed = people.flatMap(({ id, one }): [string, string][] => {
      const error = facts.byPerson.get(one.person?.trim() ?? '')?.error;
      return error ? [[id, error.message]] : [];
    });
    number.current += 1;
    if (!ready.length) {
      setState({ came: new Map(), problems: new Map(failed), isBusy: failed.length < people.length });
      return;
    }
    setState((before) => ({ ...before, isBusy: true }));
    const message: RehearsalAsked = {
      number: number.current,
      key,
      document,
      people: ready.map((one) => {
        const isKnown = sent.current.get(one.id) === one.facts;
        sent.current.set(one.id, one.facts);
        return { ...one, facts: isKnown ? undefined : one.facts };
      }),
    };
    worker.current?.postMessage(message);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the stamp stands for the facts
  }, [key, document, people, facts.stamp]);

  const now = [...facts.byPerson.values()].find((answer) => answer?.data)?.data?.store.now ?? null;
  return { now, ...state };
}
