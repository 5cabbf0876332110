'use client';

import { Zap } from 'lucide-react';
import { useState } from 'react';
import type { FlowDocument } from '@/core/flows';
import { sayDone, useful } from './offered';
import { Button } from '../kit';

/** Lets something happen to somebody at the moment of the clock. */
export function Fire({ document, onFire }: { document: FlowDocument; onFire: (type: string) => void }) {
  const offered = useful(document);
  const [type, setType] = useState(offered[0]!);
  return (
    <div className="flex items-end gap-2">
      <label className="min-w-0 flex-1 text-xs font-semibold text-soft">
        Now they have
        <select
          value={type}
          onChange={(event) => setType(event.target.value)}
          className="mt-1 h-9 w-full rounded-md border border-line bg-panel px-2 font-normal text-ink"
        >
          {offered.map((one) => (
            <option key={one} value={one}>
              {sayDone(one)}
            </option>
          ))}
        </select>
      </label>
      <Button onClick={() => onFire(type)}>
        <Zap size={16} aria-hidden="true" /> Let it happen
      </Button>
    </div>
  );
}
