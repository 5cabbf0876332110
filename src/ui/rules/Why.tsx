import type { Because } from '@/core/rules';

/** An explanation: each condition, whether it held, and what was seen. */
export function Why({ because }: { because: Because }) {
  return (
    <ul className="grid gap-1 text-sm">
      <li>
        <span className={`font-semibold ${because.holds ? 'text-good' : 'text-stop'}`}>{because.holds ? 'holds' : 'does not hold'}</span>:{' '}
        {because.says}
        {because.saw && <span className="text-soft"> ({because.saw})</span>}
        {!!because.parts?.length && (
          <div className="ml-4 border-l border-line pl-3">
            {because.parts.map((part, index) => (
              <Why key={index} because={part} />
            ))}
          </div>
        )}
      </li>
    </ul>
  );
}
