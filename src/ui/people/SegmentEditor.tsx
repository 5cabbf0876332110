'use client';

import { useDeferredValue } from 'react';
import type { Rule } from '@/core/rules';
import { segmentSchema, type SegmentDocument } from '@/core/segments';
import { Button, Field, inputClass, Part, UndoActs, useWriting, WordList } from '../kit';
import { Narrowing, RuleEditor } from '../rules';

/** Names a segment and writes its rule; beside it, whom the rule leaves. Nothing is stored before Save. */
export function SegmentEditor({
  document: given,
  act,
  onSave,
  onCancel,
}: {
  document: SegmentDocument;
  act: 'Create' | 'Save';
  onSave: (document: SegmentDocument) => Promise<void>;
  onCancel: () => void;
}) {
  const { draft, document, issues, problem, isBusy, hasTried, save } = useWriting(given, segmentSchema, onSave);
  const rule = useDeferredValue(JSON.stringify(document.rule));
  const named = issues.find(({ path }) => path === 'name');
  const others = issues.filter(({ path }) => path !== 'name');
  return (
    <div className="grid grid-cols-[1fr_420px] items-start gap-5">
      <Part title="Who is in it" acts={<UndoActs draft={draft} />}>
        <div className="grid gap-4 p-4">
          <div className="grid grid-cols-[1fr_1fr_150px_120px] gap-3">
            <Field label="Name" problem={hasTried && named ? `Name ${named.message}` : null}>
              <input
                value={document.name}
                maxLength={80}
                onChange={(event) => draft.edit({ ...document, name: event.target.value }, 'name')}
                className={inputClass}
              />
            </Field>
            <Field label="What for">
              <input
                value={document.about}
                maxLength={500}
                onChange={(event) => draft.edit({ ...document, about: event.target.value }, 'about')}
                className={inputClass}
              />
            </Field>
            <Field label="Tags">
              <WordList
                placeholder="winter, letters"
                value={document.tags}
                onChange={(tags) => draft.edit({ ...document, tags }, 'tags')}
              />
            </Field>
            <Field label="Owner">
              <input
                value={document.owner ?? ''}
                maxLength={80}
                placeholder="nobody"
                onChange={(event) => draft.edit({ ...document, owner: event.target.value || null }, 'owner')}
                className={inputClass}
              />
            </Field>
          </div>
          <RuleEditor rule={document.rule} onChange={(next, tag) => draft.edit({ ...document, rule: next }, tag)} />
          {others.map(({ path, message }) => (
            <p key={path} role="alert" className="text-stop">
              {path === 'rule' ? 'The rule' : path.replace(/^rule\./, '')} {message}
            </p>
          ))}
          {problem && (
            <p role="alert" className="text-stop">
              {problem}
            </p>
          )}
          <div className="flex items-center justify-end gap-2">
            <span className="mr-auto text-xs text-soft">
              On a line: Alt and arrows move it, N says the opposite, D duplicates, C copies, Delete removes.
            </span>
            <Button onClick={onCancel}>Cancel</Button>
            <Button kind="primary" onClick={save} disabled={isBusy}>
              {isBusy ? 'One moment…' : act}
            </Button>
          </div>
        </div>
      </Part>
      <Part title="Whom that leaves">
        <div className="p-4">
          {others.length ? (
            <p className="text-soft">The rule is not complete yet.</p>
          ) : (
            <Narrowing rule={JSON.parse(rule) as Rule} asksWhy />
          )}
        </div>
      </Part>
    </div>
  );
}
