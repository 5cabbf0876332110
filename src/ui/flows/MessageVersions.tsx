'use client';

import { clsx } from 'clsx';
import { Plus } from 'lucide-react';
import { inLanguage, languageOf, MOST_VERSIONS, type MessageVersion, type SendStep } from '@/core/flows';
import { LANGUAGES, languageSaid, nameOfLanguage, type Message } from '@/core/messages';
import { Button, Field, inputClass, Menu, useStore } from '../kit';
import { useAudience } from '../letters';
import { RuleEditor } from '../rules';
import { Audience } from './fields';

/** A language of which there is no version yet: Dutch, or the first of all. */
const elsewhere = (languages: readonly string[], versions: readonly MessageVersion[]): string =>
  ['nl', ...LANGUAGES].find((code) => code !== languages[0] && !versions.some(({ when }) => languageOf(when) === code)) ?? 'nl';

interface Props {
  readonly step: SendStep;
  readonly onChoose: (version: string | null) => void;
  readonly onChange: (step: SendStep, field: string) => void;
}

/** A message said to be written in a language: programs that read aloud go by it. */
const writtenIn = (message: Message, language: string): Message => (message.channel === 'email' ? { ...message, language } : message);

/** The forms of a message, in the order in which they are looked at, and a way to add another. */
export function VersionStrip({
  step,
  chosen,
  onChoose,
  onChange,
  counts = false,
}: Props & { readonly chosen: string | null; readonly counts?: boolean }) {
  const versions = step.versions ?? [];
  const { languages } = useStore();
  const add = ({ language, ...version }: Omit<MessageVersion, 'id' | 'message'> & { readonly language?: string }) => {
    const id = Array.from({ length: versions.length + 1 }, (_, n) => `v${n + 1}`).find((one) => !versions.some((v) => v.id === one))!;
    onChange(
      { ...step, versions: [...versions, { ...version, id, message: language ? writtenIn(step.message, language) : step.message }] },
      '',
    );
    onChoose(id);
  };
  const chip = (id: string | null, name: string) => (
    <button
      key={id ?? ''}
      type="button"
      aria-pressed={chosen === id}
      title={name}
      onClick={() => onChoose(id)}
      className={clsx(
        counts ? 'min-h-8' : '',
        'max-w-[260px] truncate rounded-md border px-2 py-0.5',
        chosen === id ? 'border-accent bg-wash font-semibold text-accent' : 'border-line text-soft hover:text-ink',
      )}
    >
      {name}
      {counts && id !== null && <Many version={versions.find((one) => one.id === id)!} />}
    </button>
  );
  const isFull = versions.length >= MOST_VERSIONS;
  const inOne = (code: string) => ({ name: nameOfLanguage(code), when: inLanguage(code), language: code });
  const others = languages.slice(1).filter((code) => !versions.some(({ when }) => languageOf(when) === code));
  return (
    <div role="group" aria-label="Versions of this message" className="flex flex-wrap items-center gap-1.5">
      {versions.map(({ id, name }) => chip(id, name))}
      {!!versions.length && chip(null, 'Everyone else')}
      <Menu
        align="start"
        groups={[
          [
            ...others.map((code) => ({ name: `In ${nameOfLanguage(code)}`, onSelect: () => add(inOne(code)) })),
            { name: 'In another language', onSelect: () => add(inOne(elsewhere(languages, versions))) },
          ],
          [{ name: 'For some people, by a rule', onSelect: () => add({ name: 'For some', when: { all: [] } }) }],
        ]}
      >
        <Button disabled={isFull} title={isFull ? `A message has at most ${MOST_VERSIONS} versions` : undefined}>
          <Plus size={14} aria-hidden="true" /> Version
        </Button>
      </Menu>
    </div>
  );
}

/** How many people would get a version at this moment, those of earlier ones counted in. */
function Many({ version }: { version: MessageVersion }) {
  const audience = useAudience(version.when);
  return <span className="font-normal text-soft tabular"> · {audience ?? 'counting…'}</span>;
}

/** Whose a version is: its name, the rule or the language, how many that are now, its place among the others. */
export function VersionHead({
  step,
  version,
  triggerType,
  onChange,
  onChoose,
}: Props & { readonly version: MessageVersion; readonly triggerType: string }) {
  const versions = step.versions ?? [];
  const at = versions.indexOf(version);
  const language = languageOf(version.when);
  const put = (change: Partial<MessageVersion>, field: string) =>
    onChange({ ...step, versions: versions.map((one) => (one.id === version.id ? { ...one, ...change } : one)) }, `${version.id}.${field}`);
  const forward = () => {
    const next = [...versions];
    next.splice(at - 1, 2, version, versions[at - 1]!);
    onChange({ ...step, versions: next }, '');
  };
  const remove = () => {
    const { versions: _, ...rest } = step;
    const left = versions.filter(({ id }) => id !== version.id);
    onChange(left.length ? { ...rest, versions: left } : rest, '');
    onChoose(null);
  };
  return (
    <section aria-label={`Version ${version.name}`} className="grid gap-2 rounded-md border border-line p-3">
      <Field label="Name of this version">
        <input value={version.name} maxLength={80} onChange={(event) => put({ name: event.target.value }, 'name')} className={inputClass} />
      </Field>
      {language === null ? (
        <div className="grid gap-1">
          <h3 className="text-xs font-semibold text-soft">Goes to those of whom this holds</h3>
          <RuleEditor rule={version.when} startedBy={triggerType} onChange={(when, tag) => put({ when }, `when.${tag}`)} />
        </div>
      ) : (
        <LanguageField
          key={version.id}
          code={language}
          onChange={(code) =>
            put(
              {
                when: inLanguage(code),
                message: writtenIn(version.message, code),
                ...(version.name === nameOfLanguage(language) && { name: nameOfLanguage(code) }),
              },
              'language',
            )
          }
        />
      )}
      <Audience rule={version.when} />
      <div className="flex flex-wrap gap-2">
        {language !== null && <Button onClick={() => put({ when: { all: [version.when] } }, '')}>Ask for more</Button>}
        {at > 0 && (
          <Button onClick={forward} title="The first version whose rule holds is theirs">
            Look at it earlier
          </Button>
        )}
        <Button onClick={remove}>Remove version</Button>
      </div>
    </section>
  );
}

function LanguageField({ code, onChange }: { code: string; onChange: (code: string) => void }) {
  return (
    <Field label="Language" hint="Goes to people whose attribute language begins with it.">
      <input
        defaultValue={nameOfLanguage(code)}
        list="languages"
        onChange={(event) => {
          const next = languageSaid(event.target.value);
          if (next) onChange(next);
        }}
        onBlur={(event) => {
          event.target.value = nameOfLanguage(languageSaid(event.target.value) ?? code);
        }}
        className={inputClass}
      />
      <datalist id="languages">
        {LANGUAGES.map((one) => (
          <option key={one} value={nameOfLanguage(one)} />
        ))}
      </datalist>
    </Field>
  );
}
