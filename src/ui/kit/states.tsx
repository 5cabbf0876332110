import type { ReactNode } from 'react';

const TONES: Record<string, string> = { on: 'text-good', paused: 'text-caution', draft: 'text-soft', archived: 'text-soft' };
const WORDS: Record<string, string> = { on: 'On', paused: 'Paused', draft: 'Draft', archived: 'Archived' };

/** A flow's state as a signal: a full disc for on, a bar for paused, a ring for a draft. */
export function StateSignal({ state }: { state: string }) {
  return (
    <span className={`inline-flex items-center gap-1.5 font-semibold ${TONES[state] ?? ''}`}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        {state === 'on' ? (
          <circle cx="6" cy="6" r="5" fill="currentColor" />
        ) : state === 'paused' ? (
          <rect x="1" y="4" width="10" height="4" rx="1" fill="currentColor" />
        ) : (
          <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="2" />
        )}
      </svg>
      {WORDS[state] ?? state}
    </span>
  );
}

/** What stands where there is nothing yet: what will be here, and the next act. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="grid justify-items-center gap-2 px-6 py-12 text-center">
      <p className="font-semibold">{title}</p>
      {children && <div className="max-w-md text-soft">{children}</div>}
    </div>
  );
}

/** What stands where loading has failed, with another try. */
export function Failed({ error, retry }: { error: Error; retry?: () => void }) {
  return (
    <div role="alert" className="grid justify-items-center gap-3 px-6 py-12 text-center">
      <p className="font-semibold text-stop">This could not be loaded</p>
      <p className="max-w-md text-soft">{error.message}</p>
      {retry && (
        <button type="button" onClick={retry} className="h-8 rounded-md border border-line bg-panel px-3 font-semibold hover:bg-wash">
          Try again
        </button>
      )}
    </div>
  );
}

/** A value that is not known looks different from a zero. */
export function NotKnown({ what = 'not known' }: { what?: string }) {
  return <span className="italic text-soft">{what}</span>;
}

/** What a part of a page carries whose answer may be that to the question before: it is paler then, and its lines lead nowhere. */
export const ofBefore = (isBefore: boolean) => ({ 'aria-busy': isBefore, 'data-before': isBefore || undefined });
