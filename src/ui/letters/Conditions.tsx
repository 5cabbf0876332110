'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { MOST_CONDITIONS, mapBlocks, type Block, type Condition, type Email } from '@/core/messages';
import type { DirectoryView } from '@/core/api';
import type { Rule } from '@/core/rules';
import { api, Button, Dialog, Field, inputClass, plural } from '../kit';
import { RuleEditor } from '../rules';

/** How many people a rule holds of, in words. */
export function useAudience(rule: Rule | null): string | null {
  const query = rule ? `rule=${encodeURIComponent(JSON.stringify(rule))}` : '';
  const { data } = useQuery({
    queryKey: ['audience', query],
    queryFn: () => api<DirectoryView>(`/people?limit=0&${query}`),
    retry: false,
    staleTime: 30_000,
  });
  return data ? plural(data.total ?? 0, 'person', 'people') : null;
}

const ABOUT =
  'A part is shown only to those of whom a condition holds, or only to the others; a sentence can be, too. ' +
  'It is decided as the message is let go, and stands in the trace.';

/** The conditions of a message: parts and sentences ask for them by name. */
export function Conditions({
  message,
  startedBy,
  onChange,
  onClose,
}: {
  message: Email;
  startedBy: string | null;
  onChange: (message: Email, tag: string) => void;
  onClose: () => void;
}) {
  const conditions = message.conditions ?? [];
  const put = (next: readonly Condition[], tag: string) => {
    const { conditions: _, ...rest } = message;
    onChange(next.length ? { ...rest, conditions: [...next] } : rest, tag);
  };
  const add = () => {
    const id = Array.from({ length: conditions.length + 1 }, (_, n) => `c${n + 1}`).find((one) => !conditions.some((c) => c.id === one))!;
    put([...conditions, { id, name: `Condition ${conditions.length + 1}`, rule: { all: [] } }], '');
  };
  const remove = (id: string) => {
    const { conditions: _, ...rest } = message;
    const left = conditions.filter((one) => one.id !== id);
    const open = <T extends { only?: string | undefined; unless?: string | undefined }>(one: T): T => {
      const { only, unless, ...plain } = one;
      return { ...plain, ...(only && only !== id && { only }), ...(unless && unless !== id && { unless }) } as T;
    };
    // what asked for it is shown to everybody again
    const blocks = mapBlocks(rest.blocks, (block) => {
      const next = open(block);
      return (next.kind === 'columns' ? { ...next, columns: next.columns.map(open) } : next) as Block;
    });
    onChange({ ...rest, blocks, ...(left.length && { conditions: left }) }, '');
  };
  return (
    <Dialog isOpen onClose={onClose} width={720} title="Who sees what" about={ABOUT}>
      <div className="grid gap-3">
        {conditions.map((one) => (
          <ConditionPart
            key={one.id}
            one={one}
            startedBy={startedBy}
            onChange={(change, tag) =>
              put(
                conditions.map((other) => (other.id === one.id ? { ...other, ...change } : other)),
                `${one.id}.${tag}`,
              )
            }
            onRemove={() => remove(one.id)}
          />
        ))}
        {!conditions.length && <p className="text-soft">No condition yet: everybody sees every part.</p>}
        <div className="flex justify-between">
          <Button onClick={add} disabled={conditions.length >= MOST_CONDITIONS}>
            <Plus size={16} aria-hidden="true" /> Add a condition
          </Button>
          <Button kind="primary" onClick={onClose}>
            Done
          </Button>
        </div>
      </div>
    </Dialog>
  );
}

function ConditionPart({
  one,
  startedBy,
  onChange,
  onRemove,
}: {
  one: Condition;
  startedBy: string | null;
  onChange: (change: Partial<Condition>, tag: string) => void;
  onRemove: () => void;
}) {
  const audience = useAudience(one.rule);
  return (
    <section aria-label={one.name} className="grid gap-2 rounded-md border border-line p-3">
      <div className="flex items-end gap-2">
        <Field label="Name">
          <input
            value={one.name}
            maxLength={80}
            onChange={(event) => onChange({ name: event.target.value }, 'name')}
            className={inputClass}
          />
        </Field>
        <span className="pb-1.5 text-xs text-soft">{audience === null ? 'counting…' : `holds of ${audience} at this moment`}</span>
        <div className="flex-1" />
        <Button onClick={onRemove}>Remove</Button>
      </div>
      <RuleEditor rule={one.rule} {...(startedBy !== null && { startedBy })} onChange={(rule, tag) => onChange({ rule }, `rule.${tag}`)} />
    </section>
  );
}
