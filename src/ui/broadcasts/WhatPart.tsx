'use client';

import { useState } from 'react';
import { AGAIN_STEP, freeContentId, MOST_CONTENTS, type Again, type Broadcast, type Content } from '@/core/broadcasts';
import type { SendStep, Trial } from '@/core/flows';
import { onChannel, textsOf } from '@/core/messages';
import { CHANNELS, CHANNEL_WORDS, type Channel } from '@/core/rules';
import { Button, Dialog, DurationField, Field, fieldClass, inputClass } from '../kit';
import { MessageEditor, Tick, TrialFields, USUAL_TRIAL } from '../flows';
import { Thumb } from '../letters';
import { Step } from './Step';

type Change = (broadcast: Broadcast, tag: string) => void;

/** What is sent: one message, or several that are tried; and once more to those who did not open it. */
export function WhatPart({ broadcast, change, onWrite }: { broadcast: Broadcast; change: Change; onWrite: (step: string) => void }) {
  const [texting, setTexting] = useState<string | null>(null);
  const { contents, again } = broadcast;
  const put = (id: string, letter: Content['letter'], tag: string) =>
    id === AGAIN_STEP && again
      ? change({ ...broadcast, again: { ...again, letter } }, `again.${tag}`)
      : change({ ...broadcast, contents: contents.map((one) => (one.id === id ? { ...one, letter } : one)) }, `${id}.${tag}`);
  const write = (id: string, channel: Channel) => (channel === 'email' ? onWrite(id) : setTexting(id));
  const asStep = (id: string): SendStep | null => {
    const letter = id === AGAIN_STEP ? again?.letter : contents.find((one) => one.id === id)?.letter;
    return letter ? { id, kind: 'send', ...letter } : null;
  };
  const open = texting === null ? null : asStep(texting);
  const channel = contents[0]!.letter.message.channel;
  const add = () => {
    const last = contents.at(-1)!;
    const id = freeContentId(contents);
    const letter = { ...last.letter, name: `${last.letter.name.slice(0, 70)}, another` };
    const trial: Trial | null = broadcast.trial ?? USUAL_TRIAL;
    change({ ...broadcast, contents: [...contents, { id, letter }], trial }, '');
  };
  const remove = (id: string) => {
    const left = contents.filter((one) => one.id !== id);
    change({ ...broadcast, contents: left, trial: left.length > 1 ? broadcast.trial : null, won: null }, '');
  };
  return (
    <Step
      title="What"
      acts={
        <select
          aria-label="Goes by"
          value={channel}
          onChange={(event) => {
            const to = event.target.value as Channel;
            const turned = (letter: Content['letter']) => ({ ...letter, versions: undefined, message: onChannel(letter.message, to) });
            change(
              {
                ...broadcast,
                contents: contents.map((one) => ({ ...one, letter: turned(one.letter) })),
                again: again && { ...again, letter: turned(again.letter) },
              },
              '',
            );
          }}
          className={`${fieldClass} w-40`}
        >
          {CHANNELS.map((one) => (
            <option key={one} value={one}>
              by {CHANNEL_WORDS[one].noun}
            </option>
          ))}
        </select>
      }
    >
      {contents.map(({ id, letter }, index) => (
        <Card
          key={id}
          title={contents.length > 1 ? `Message ${index + 1} of ${contents.length}` : 'Message'}
          letter={letter}
          onChange={(next, tag) => put(id, next, tag)}
          onWrite={() => write(id, letter.message.channel)}
          {...(contents.length > 1 && { onRemove: () => remove(id) })}
        />
      ))}
      {contents.length < MOST_CONTENTS && (
        <Button onClick={add} className="justify-self-start">
          Add another to try…
        </Button>
      )}
      {contents.length > 1 && <Tried broadcast={broadcast} change={change} />}
      <div className="grid gap-3 border-t border-line pt-3">
        <Tick
          label="Send it once more to those who did nothing with it"
          isOn={again !== null}
          onChange={(isOn) => {
            const { letter } = contents[0]!;
            const fresh: Again = {
              unless: channel === 'email' ? 'opened' : 'clicked',
              after: 'P3D',
              exceptBought: true,
              letter: { ...letter, name: `${letter.name.slice(0, 66)}, once more` },
            };
            change({ ...broadcast, again: isOn ? fresh : null }, 'again');
          }}
        />
        {again && (
          <>
            <div className="grid grid-cols-2 gap-2">
              <Field label="To those who have not">
                <select
                  value={again.unless}
                  onChange={(event) =>
                    change({ ...broadcast, again: { ...again, unless: event.target.value as Again['unless'] } }, 'again.unless')
                  }
                  className={inputClass}
                >
                  <option value="opened">opened it</option>
                  <option value="clicked">clicked in it</option>
                </select>
              </Field>
              <DurationField
                label="After"
                value={again.after}
                onChange={(after) => change({ ...broadcast, again: { ...again, after } }, 'again.after')}
              />
            </div>
            <Tick
              label="Not to those who have ordered meanwhile"
              isOn={again.exceptBought}
              onChange={(exceptBought) => change({ ...broadcast, again: { ...again, exceptBought } }, 'again.bought')}
            />
            <Card
              title="Once more"
              letter={again.letter}
              onChange={(next, tag) => put(AGAIN_STEP, next, tag)}
              onWrite={() => write(AGAIN_STEP, again.letter.message.channel)}
            />
          </>
        )}
      </div>
      {open && texting !== null && (
        <Dialog isOpen onClose={() => setTexting(null)} title={open.name} width={560}>
          <MessageEditor
            step={open}
            triggerType="flow.due"
            onChange={({ id: _, kind: __, ...letter }, field) => put(texting, letter, field)}
          />
        </Dialog>
      )}
    </Step>
  );
}

/** One message: a small picture of it, its subject, and the way to write it. */
function Card({
  title,
  letter,
  onChange,
  onWrite,
  onRemove,
}: {
  title: string;
  letter: Content['letter'];
  onChange: (letter: Content['letter'], tag: string) => void;
  onWrite: () => void;
  onRemove?: () => void;
}) {
  const { message } = letter;
  return (
    <section aria-label={title} className="grid grid-cols-[132px_minmax(0,1fr)] gap-3 rounded-md border border-line bg-panel p-3">
      {message.channel === 'email' ? (
        <Thumb message={message} width={132} height={168} title={`${letter.name}, as a picture`} />
      ) : (
        <p className="h-[168px] overflow-y-auto rounded-md border border-line bg-wash p-2">
          {textsOf(message).join('\n') || 'No words yet'}
        </p>
      )}
      <div className="grid content-start gap-2">
        <div className="flex items-center justify-between gap-2">
          <h3 className="text-xs font-semibold text-soft">{title}</h3>
          {onRemove && (
            <Button kind="quiet" className="h-6 px-2 text-accent" onClick={onRemove}>
              Remove
            </Button>
          )}
        </div>
        <Field label="Name">
          <input
            value={letter.name}
            maxLength={80}
            onChange={(event) => onChange({ ...letter, name: event.target.value }, 'name')}
            className={inputClass}
          />
        </Field>
        {message.channel === 'email' && (
          <Field label="Subject" problem={message.subject.trim() ? null : 'Write a subject.'}>
            <input
              value={message.subject}
              maxLength={300}
              onChange={(event) => onChange({ ...letter, message: { ...message, subject: event.target.value } }, 'subject')}
              className={inputClass}
            />
          </Field>
        )}
        <Button onClick={onWrite} className="justify-self-start">
          {message.channel === 'email' ? 'Write the letter' : 'Write the text'}
        </Button>
      </div>
    </section>
  );
}

/** How several messages are tried: on everybody, or on a part first. */
function Tried({ broadcast, change }: { broadcast: Broadcast; change: Change }) {
  const { trial, contents } = broadcast;
  const put = (next: Trial | null, tag: string) => change({ ...broadcast, trial: next, won: null }, `trial.${tag}`);
  return (
    <fieldset className="grid gap-3 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">How they are tried</legend>
      <div className="grid gap-1">
        <label className="flex items-center gap-2">
          <input type="radio" checked={trial !== null} onChange={() => put(USUAL_TRIAL, '')} />
          On a part first; the best goes to the others
        </label>
        <label className="flex items-center gap-2">
          <input type="radio" checked={trial === null} onChange={() => put(null, '')} />
          On everybody, as many for each
        </label>
      </div>
      {trial && <TrialFields trial={trial} ways={contents.length} goal="who orders after it" onChange={put} />}
    </fieldset>
  );
}
