import type { Saving } from './saver';

/** Whether what is on the screen is stored, and what to do when it is not. */
export function SavingNote({
  saving,
  saved = 'Saved',
  onReload,
  onRetry,
}: {
  saving: Saving;
  saved?: string;
  onReload: () => void;
  onRetry: () => void;
}) {
  switch (saving.state) {
    case 'saving':
      return (
        <span role="status" className="text-soft">
          Saving…
        </span>
      );
    case 'invalid': {
      const [first] = saving.problems;
      return (
        <span
          role="status"
          className="inline-block max-w-72 truncate align-bottom text-stop"
          title={saving.problems.map((one) => `${one.path}: ${one.message}`).join('\n')}
        >
          Not saved: {first?.path.split('.').at(-1)} {first?.message}
        </span>
      );
    }
    case 'failed':
      return (
        <span role="alert" className="inline-flex items-center gap-2 text-stop">
          <span className="max-w-72 truncate" title={saving.message}>
            {saving.message}
          </span>
          <button type="button" className="underline" onClick={saving.isConflict ? onReload : onRetry}>
            {saving.isConflict ? 'Load it again' : 'Try again'}
          </button>
        </span>
      );
    case 'saved':
      return (
        <span role="status" className="text-soft">
          {saved}
        </span>
      );
  }
}
