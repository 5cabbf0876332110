import { clsx } from 'clsx';
import type { BroadcastPhase } from '@/core/api';

const WORDS: { readonly [phase in BroadcastPhase]: string } = {
  draft: 'Draft',
  planned: 'Planned',
  going: 'Going out',
  trying: 'Being tried',
  asks: 'Waits for you',
  stopped: 'Stopped',
  gone: 'Gone out',
  archived: 'Archived',
};
const TONES: { readonly [phase in BroadcastPhase]: string } = {
  draft: 'text-soft',
  planned: 'text-ink',
  going: 'text-good',
  trying: 'text-good',
  asks: 'text-caution',
  stopped: 'text-caution',
  gone: 'text-soft',
  archived: 'text-soft',
};

/** Where a broadcast stands, as a train does on a board: a ring before it leaves, a disc under way, a bar where it is held, a tick when it has gone. */
export function PhaseSignal({ phase }: { phase: BroadcastPhase }) {
  return (
    <span className={clsx('inline-flex items-center gap-1.5 whitespace-nowrap font-semibold', TONES[phase])}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true" fill="none" stroke="currentColor" strokeWidth="2">
        {phase === 'going' || phase === 'trying' ? (
          <circle cx="6" cy="6" r="5" fill="currentColor" stroke="none" />
        ) : phase === 'stopped' || phase === 'asks' ? (
          <rect x="1" y="4" width="10" height="4" rx="1" fill="currentColor" stroke="none" />
        ) : phase === 'gone' || phase === 'archived' ? (
          <path d="M1.5 6.5 4.5 9.5 10.5 2.5" />
        ) : phase === 'planned' ? (
          <>
            <circle cx="6" cy="6" r="4" />
            <path d="M6 4v2.4h1.6" strokeWidth="1.4" />
          </>
        ) : (
          <circle cx="6" cy="6" r="4" />
        )}
      </svg>
      {WORDS[phase]}
    </span>
  );
}

export const PHASE_WORDS = WORDS;
