/** What is wrong with a document, by the place of each problem. */
export interface DraftProblem {
  readonly path: string;
  readonly message: string;
}

/** How a draft stands to what is stored of it. */
export type Saving =
  | { readonly state: 'saved' }
  | { readonly state: 'saving' }
  | { readonly state: 'invalid'; readonly problems: readonly DraftProblem[] }
  | { readonly state: 'failed'; readonly message: string; readonly isConflict: boolean };

export interface SaverOptions<T> {
  readonly document: T;
  readonly revision: number;
  /** stores a document when it still has the revision that was seen; answers with the new one */
  readonly put: (document: T, revision: number) => Promise<{ readonly revision: number }>;
  /** what keeps a document from being stored; none when it can be */
  readonly problemsOf: (document: T) => readonly DraftProblem[];
  readonly isConflict: (error: unknown) => boolean;
  readonly onState: (saving: Saving) => void;
}

/** Stores the latest form of a document, one request after the other, so that it never conflicts with itself. */
export interface Saver<T> {
  /** the document as it now stands on the screen */
  note(document: T): void;
  /** Stores what is latest. Answers whether that is stored now: false when it is not sound or could not be stored. */
  save(): Promise<boolean>;
  /** takes over what is stored after somebody else has changed it */
  take(document: T, revision: number): void;
  readonly revision: number;
  readonly isSaved: boolean;
}

export function openSaver<T>({ document, revision: first, put, problemsOf, isConflict, onState }: SaverOptions<T>): Saver<T> {
  let latest = document;
  let stored = document;
  let revision = first;
  let inFlight: Promise<boolean> | null = null;

  const store = async (): Promise<boolean> => {
    const sent = latest;
    const problems = problemsOf(sent);
    if (problems.length) {
      onState({ state: 'invalid', problems });
      return false;
    }
    onState({ state: 'saving' });
    try {
      revision = (await put(sent, revision)).revision;
      stored = sent;
      if (latest === stored) onState({ state: 'saved' });
      return true;
    } catch (error) {
      onState({ state: 'failed', message: (error as Error).message, isConflict: isConflict(error) });
      return false;
    }
  };

  return {
    note: (next) => (latest = next),
    save: async () => {
      // several may have waited for the same request: the first of them goes on, the others wait for that
      while (inFlight) await inFlight;
      if (latest === stored) return true;
      inFlight = store().finally(() => (inFlight = null));
      return inFlight;
    },
    take: (next, seen) => {
      latest = stored = next;
      revision = seen;
      onState({ state: 'saved' });
    },
    get revision() {
      return revision;
    },
    get isSaved() {
      return latest === stored;
    },
  };
}
