'use client';

import type { MessageFinding } from '@/core/messages';
import { useDesk } from './useDesk';

/** Something to be mended, where it is. */
export const Finding = ({ one }: { one: MessageFinding }) => (
  <li className={one.level === 'stops' ? 'text-stop' : 'text-caution'} title={one.mend}>
    {one.says}. <span className="text-soft">{one.mend}</span>
  </li>
);

/** What is to be mended at a place: of a block, or of the letter's head. */
export function Findings({ block }: { block: string | undefined }) {
  const { findings } = useDesk();
  const here = findings.filter((one) => one.block === block && (block !== undefined || one.field !== undefined));
  if (!here.length) return null;
  return (
    <ul className="mt-1 grid gap-0.5 font-sans text-xs leading-4">
      {here.map((one, index) => (
        <Finding key={one.code + index} one={one} />
      ))}
    </ul>
  );
}
