'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { ArrowDown, ArrowUp, ExternalLink, Plus, Trash2 } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { toast } from 'sonner';
import type { AttributeView, FormView, ListView, OfferItem } from '@/core/api';
import type { FlowDocument } from '@/core/flows';
import { FIELD_TYPES, formSchema, type FieldType, type Form, type FormField } from '@/core/forms';
import { CONFIRM_SAMPLE, confirmLetter } from '@/core/messages';
import { CHANNELS, CHANNEL_WORDS } from '@/core/rules';
import { siteSchema } from '@/core/sources';
import { CardButton, CardLine } from '../cards';
import {
  api,
  areaClass,
  attempt,
  Button,
  Copied,
  Empty,
  Failed,
  Field,
  inputClass,
  issuesOf,
  Label,
  Page,
  Part,
  plural,
  SavingNote,
  UndoActs,
  useDraft,
  WordList,
  Link,
} from '../kit';
import { LetterDesk } from '../letters';

const TYPE_WORDS: Record<FieldType, string> = {
  text: 'text',
  email: 'email address',
  phone: 'phone number',
  number: 'number',
  date: 'date',
  country: 'country',
  choice: 'one of several',
  yesno: 'box to tick',
};

/** Builds a form; it is saved by itself, and the page beside it is the form as it is. */
export function FormScreen({ id }: { id: string }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['form', id],
    queryFn: () => api<FormView>(`/forms/${encodeURIComponent(id)}`),
    refetchOnWindowFocus: false,
  });
  if (error)
    return (
      <Page title="Form" back={{ href: '/data/forms', name: 'All forms' }}>
        <Failed error={error} retry={() => void refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  return <Builder initial={data} />;
}

function Builder({ initial }: { initial: FormView }) {
  const router = useRouter();
  const client = useQueryClient();
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const offers = useQuery({ queryKey: ['offers'], queryFn: () => api<{ offers: OfferItem[] }>('/offers') });
  const [isWriting, setWriting] = useState(false);
  const attributes = useQuery({ queryKey: ['attributes'], queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no') });
  const [view, setView] = useState(initial);
  const [shown, setShown] = useState(0);
  const draft = useDraft<Form, FormView>({
    place: `/forms/${initial.key}`,
    document: initial.document,
    revision: initial.revision,
    put: (document, revision) =>
      api<FormView>(`/forms/${initial.key}`, { method: 'PUT', body: document, headers: { 'if-match': `"${revision}"` } }),
    problemsOf: (document) => issuesOf(formSchema.safeParse(document)),
    onSaved: (saved) => {
      setView(saved);
      setShown((n) => n + 1);
      void client.invalidateQueries({ queryKey: ['forms'] });
    },
  });
  const form = draft.document;
  const edit = (
    change: Partial<Form>,
    tag = Object.entries(change)
      .flatMap(([name, value]) => (typeof value === 'string' ? name : []))
      .join(),
  ) => draft.edit({ ...form, ...change }, tag);
  const reload = async () => {
    const now = await api<FormView>(`/forms/${initial.key}`);
    setView(now);
    draft.load(now.document, now.revision);
  };

  const putField = (index: number, change: Partial<FormField>) =>
    edit(
      { fields: form.fields.map((field, at) => (at === index ? { ...field, ...change } : field)) },
      typeof change.label === 'string' || typeof change.attribute === 'string' ? `fields.${index}.${Object.keys(change).join()}` : '',
    );
  const move = (index: number, by: number) => {
    const fields = [...form.fields];
    const [field] = fields.splice(index, 1);
    fields.splice(index + by, 0, field!);
    edit({ fields });
  };
  const addField = () => {
    const used = new Set(form.fields.map((field) => field.attribute));
    const attribute =
      [
        'firstName',
        'lastName',
        'phone',
        'country',
        ...(attributes.data?.attributes.map((one) => one.name) ?? []),
        'answer',
        'answer2',
        'answer3',
      ].find((name) => !used.has(name) && name !== 'email') ?? `answer${form.fields.length}`;
    const label = attribute.replace(/([a-z])([A-Z])/g, '$1 $2').replace(/^./, (c) => c.toUpperCase());
    edit({
      fields: [
        ...form.fields,
        {
          id: `field-${Date.now().toString(36)}`,
          attribute,
          type: attribute === 'phone' ? 'phone' : attribute === 'country' ? 'country' : 'text',
          label,
          required: false,
        },
      ],
    });
  };
  const toggle = (change: { isOpen?: boolean; isArchived?: boolean }, done: string) =>
    attempt(async () => {
      await api(`/forms/${view.key}`, { method: 'PATCH', body: change });
      await client.invalidateQueries({ queryKey: ['forms'] });
      if (change.isArchived) router.push('/data/forms');
      else setView({ ...view, ...(change.isOpen !== undefined && { isOpen: change.isOpen }) });
    }, done);
  const keepFile = async (file: File) => {
    await attempt(async () => {
      const answer = await fetch(`/api/v1/files?name=${encodeURIComponent(file.name)}`, { method: 'POST', body: file });
      const body = (await answer.json()) as { key: string; name: string; detail?: string };
      if (!answer.ok) throw new Error(body.detail);
      edit({ promise: { kind: 'file', file: body.key, label: form.promise?.label ?? file.name } });
    }, 'The file is kept.');
  };
  const startFlow = () =>
    attempt(async () => {
      const key = `after-${view.key}`.slice(0, 60);
      const document: FlowDocument = {
        schema: 'viatic.flow/1',
        name: `After “${form.name}”`.slice(0, 80),
        triggers: [
          {
            id: 'start',
            kind: 'event',
            event: 'form.submitted',
            key: null,
            where: [{ property: 'formId', op: 'oneOf', value: [view.key] }],
          },
        ],
        entry: { test: 'consent', channel: 'email', reachable: true },
        stay: { test: 'consent', channel: 'email', reachable: true },
        reentry: 'once',
        goal: { event: 'order.placed', within: 'P14D', ends: true },
        steps: [
          {
            id: 'first',
            kind: 'send',
            name: 'What was promised',
            message: {
              schema: 'viatic.message/1',
              channel: 'email',
              kind: 'marketing',
              subject: form.promise ? `Here it is: ${form.promise.label}`.slice(0, 300) : 'Good to have you here',
              preview: '',
              blocks: [
                { id: 'hello', kind: 'text', text: 'Hello {{ person.firstName | fallback: "there" }},\n\nthank you for signing up.' },
                ...(form.promise
                  ? [{ id: 'promise', kind: 'button' as const, label: form.promise.label, url: '{{ event.download }}' }]
                  : []),
              ],
            },
          },
        ],
      };
      await api(`/flows/${key}`, { method: 'PUT', body: document });
      router.push(`/flows/${key}`);
    });

  return (
    <Page
      title={form.name}
      back={{ href: '/data/forms', name: 'All forms' }}
      about={
        <>
          {plural(view.submitted, 'submission', 'submissions')}
          {form.doubleOptIn && `, ${plural(view.waiting, 'waits', 'wait')} for the click in the mail`}.{' '}
          {view.isOpen ? 'Open.' : 'Closed: its page says so.'}{' '}
          <SavingNote saving={draft.saving} onReload={() => void reload()} onRetry={() => void draft.save()} />
        </>
      }
      acts={
        <>
          <UndoActs draft={draft} />
          <CardButton kind="form" of={view.key} />
          <Button
            changes="/forms"
            onClick={() => void toggle({ isOpen: !view.isOpen }, view.isOpen ? 'The form is closed.' : 'The form is open.')}
          >
            {view.isOpen ? 'Close the form' : 'Open the form'}
          </Button>
          <Button changes="/forms" onClick={() => void toggle({ isArchived: true }, 'Archived. What it brought stays.')}>
            Archive
          </Button>
          <a
            href={view.address}
            target="_blank"
            rel="noreferrer"
            className="inline-flex h-8 items-center gap-2 rounded-md border border-line bg-panel px-3 font-semibold hover:bg-wash"
          >
            Open its page <ExternalLink size={16} aria-hidden="true" />
          </a>
        </>
      }
    >
      <CardLine kind="form" of={view.key} />
      <div className="grid grid-cols-[1fr_440px] items-start gap-5">
        <div className="grid gap-4">
          <Part title="Words">
            <div className="grid grid-cols-2 gap-3 p-4">
              <Field label="Name, for us">
                <input value={form.name} maxLength={80} onChange={(event) => edit({ name: event.target.value })} className={inputClass} />
              </Field>
              <Field label="Title">
                <input
                  value={form.title}
                  maxLength={160}
                  onChange={(event) => edit({ title: event.target.value })}
                  className={inputClass}
                />
              </Field>
              <div className="col-span-2">
                <Field label="Introduction">
                  <textarea
                    rows={2}
                    value={form.intro}
                    maxLength={2000}
                    onChange={(event) => edit({ intro: event.target.value })}
                    className={areaClass}
                  />
                </Field>
              </div>
              <Field label="On the button">
                <input
                  value={form.button}
                  maxLength={60}
                  onChange={(event) => edit({ button: event.target.value })}
                  className={inputClass}
                />
              </Field>
            </div>
          </Part>
          <Part
            title="Fields"
            acts={
              <Button changes="/forms" kind="quiet" onClick={addField}>
                <Plus size={16} aria-hidden="true" />
                Field
              </Button>
            }
          >
            <ul>
              {form.fields.map((field, index) => (
                <li key={field.id} className="grid gap-2 border-b border-line px-4 py-3 last:border-0">
                  <div className="grid grid-cols-[1.3fr_1fr_1fr_auto] items-end gap-2">
                    <Field label="Label">
                      <input
                        value={field.label}
                        maxLength={120}
                        onChange={(event) => putField(index, { label: event.target.value })}
                        className={inputClass}
                      />
                    </Field>
                    <Field label="Kept as">
                      <input
                        list="form-attributes"
                        value={field.attribute}
                        disabled={field.type === 'email'}
                        onChange={(event) => putField(index, { attribute: event.target.value })}
                        className={`${inputClass} font-mono text-xs`}
                      />
                    </Field>
                    <Field label="Kind">
                      <select
                        value={field.type}
                        disabled={field.type === 'email'}
                        onChange={(event) =>
                          putField(index, {
                            type: event.target.value as FieldType,
                            ...(event.target.value === 'choice' && !field.options && { options: ['Yes', 'No'] }),
                          })
                        }
                        className={inputClass}
                      >
                        {FIELD_TYPES.filter((type) => type !== 'email' || field.type === 'email').map((type) => (
                          <option key={type} value={type}>
                            {TYPE_WORDS[type]}
                          </option>
                        ))}
                      </select>
                    </Field>
                    <div className="flex">
                      <Button
                        kind="quiet"
                        className="!px-1.5"
                        aria-label={`Move ${field.label} up`}
                        disabled={index === 0}
                        onClick={() => move(index, -1)}
                      >
                        <ArrowUp size={16} aria-hidden="true" />
                      </Button>
                      <Button
                        kind="quiet"
                        className="!px-1.5"
                        aria-label={`Move ${field.label} down`}
                        disabled={index === form.fields.length - 1}
                        onClick={() => move(index, 1)}
                      >
                        <ArrowDown size={16} aria-hidden="true" />
                      </Button>
                      <Button
                        kind="quiet"
                        className="!px-1.5"
                        aria-label={`Remove ${field.label}`}
                        disabled={field.type === 'email'}
                        onClick={() => edit({ fields: form.fields.filter((_, at) => at !== index) })}
                      >
                        <Trash2 size={16} aria-hidden="true" />
                      </Button>
                    </div>
                  </div>
                  <div className="flex items-center gap-4 text-sm">
                    <label className="flex items-center gap-2">
                      <input
                        type="checkbox"
                        checked={field.required}
                        onChange={(event) => putField(index, { required: event.target.checked })}
                      />
                      must be filled in
                    </label>
                    {field.type === 'choice' && (
                      <WordList
                        aria-label={`Choices of ${field.label}`}
                        value={field.options ?? []}
                        placeholder="choices with commas"
                        onChange={(options) => putField(index, { options })}
                        className={`${inputClass} flex-1`}
                      />
                    )}
                  </div>
                </li>
              ))}
            </ul>
            <datalist id="form-attributes">
              {attributes.data?.attributes.map((one) => (
                <option key={one.name} value={one.name} />
              ))}
            </datalist>
          </Part>
          <Part
            title="Consent"
            acts={
              CHANNELS.some((channel) => !form.consents.some((one) => one.channel === channel)) && (
                <Button
                  changes="/forms"
                  kind="quiet"
                  onClick={() =>
                    edit({
                      consents: [
                        ...form.consents,
                        {
                          channel: CHANNELS.find((channel) => !form.consents.some((one) => one.channel === channel))!,
                          wording: 'Yes, you may write to me.',
                          required: false,
                        },
                      ],
                    })
                  }
                >
                  <Plus size={16} aria-hidden="true" />
                  Channel
                </Button>
              )
            }
          >
            <div className="grid gap-3 p-4">
              {form.consents.map((consent, index) => (
                <div key={consent.channel} className="grid grid-cols-[80px_1fr_auto_auto] items-center gap-2">
                  <b>{CHANNEL_WORDS[consent.channel].noun}</b>
                  <input
                    aria-label={`Wording of consent to ${consent.channel}`}
                    value={consent.wording}
                    maxLength={1000}
                    onChange={(event) =>
                      edit({ consents: form.consents.map((one, at) => (at === index ? { ...one, wording: event.target.value } : one)) })
                    }
                    className={inputClass}
                  />
                  <label className="flex items-center gap-1.5 text-sm">
                    <input
                      type="checkbox"
                      checked={consent.required}
                      onChange={(event) =>
                        edit({
                          consents: form.consents.map((one, at) => (at === index ? { ...one, required: event.target.checked } : one)),
                        })
                      }
                    />
                    needed
                  </label>
                  <Button
                    kind="quiet"
                    className="!px-1.5"
                    aria-label={`Do not ask for ${consent.channel}`}
                    onClick={() => edit({ consents: form.consents.filter((_, at) => at !== index) })}
                  >
                    <Trash2 size={16} aria-hidden="true" />
                  </Button>
                </div>
              ))}
              <p className="text-xs text-soft">
                A box is never ticked beforehand. What is agreed to is kept with these very words, the page and the time.
              </p>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  checked={form.doubleOptIn !== null}
                  onChange={(event) =>
                    edit({
                      doubleOptIn: event.target.checked
                        ? {
                            subject: 'One click and you are on the list',
                            text: 'You asked for our news. Press the button so that we know it was you.',
                          }
                        : null,
                    })
                  }
                />
                Double opt-in: it counts after a click in a mail
              </label>
              {form.doubleOptIn && (
                <div className="grid grid-cols-2 gap-3">
                  <Field label="Subject of that mail">
                    <input
                      value={form.doubleOptIn.subject}
                      maxLength={200}
                      onChange={(event) => edit({ doubleOptIn: { ...form.doubleOptIn!, subject: event.target.value } })}
                      className={inputClass}
                    />
                  </Field>
                  <Field label="Its text">
                    <input
                      value={form.doubleOptIn.text}
                      maxLength={2000}
                      onChange={(event) => edit({ doubleOptIn: { ...form.doubleOptIn!, text: event.target.value } })}
                      className={inputClass}
                    />
                  </Field>
                </div>
              )}
              {form.doubleOptIn && (
                <div className="flex flex-wrap items-center gap-3">
                  <Button changes="/forms" onClick={() => setWriting(true)}>
                    {form.doubleOptIn.letter ? 'Change the letter…' : 'Write it as a letter…'}
                  </Button>
                  {form.doubleOptIn.letter ? (
                    <>
                      <span className="text-xs text-soft">“{form.doubleOptIn.letter.subject}” goes out in place of these words.</span>
                      <Button
                        kind="quiet"
                        onClick={() => {
                          const { letter: _, ...plain } = form.doubleOptIn!;
                          edit({ doubleOptIn: plain });
                        }}
                      >
                        Back to these words
                      </Button>
                    </>
                  ) : (
                    <span className="text-xs text-soft">With pictures and parts, like any letter.</span>
                  )}
                </div>
              )}
              {!form.doubleOptIn && (
                <p className="text-xs text-caution">
                  Without it, anybody can sign up anybody’s address. In Germany, for example, courts ask for it as proof (common practice).
                </p>
              )}
            </div>
          </Part>
          <Part title="What happens then">
            <div className="grid grid-cols-2 gap-3 p-4">
              <Field label="After sending">
                <select
                  value={form.after.kind}
                  onChange={(event) =>
                    edit({
                      after:
                        event.target.value === 'page'
                          ? { kind: 'page', title: 'Thank you', text: '' }
                          : { kind: 'redirect', url: 'https://shop.example/thanks' },
                    })
                  }
                  className={inputClass}
                >
                  <option value="page">a page of ours</option>
                  <option value="redirect">another address</option>
                </select>
              </Field>
              {form.after.kind === 'page' ? (
                <Field label="Title of that page">
                  <input
                    value={form.after.title}
                    maxLength={160}
                    onChange={(event) => edit({ after: { ...form.after, title: event.target.value } as Form['after'] })}
                    className={inputClass}
                  />
                </Field>
              ) : (
                <Field label="Address">
                  <input
                    value={form.after.url}
                    onChange={(event) => edit({ after: { kind: 'redirect', url: event.target.value } })}
                    className={inputClass}
                  />
                </Field>
              )}
              {form.after.kind === 'page' && (
                <div className="col-span-2">
                  <Field label="Its text">
                    <input
                      value={form.after.text}
                      maxLength={2000}
                      onChange={(event) => edit({ after: { ...form.after, text: event.target.value } as Form['after'] })}
                      className={inputClass}
                    />
                  </Field>
                </div>
              )}
              <Field label="Onto a list">
                <select value={form.list ?? ''} onChange={(event) => edit({ list: event.target.value || null })} className={inputClass}>
                  <option value="">no list</option>
                  {lists.data?.lists.map((list) => (
                    <option key={list.key} value={list.key}>
                      {list.name}
                    </option>
                  ))}
                </select>
              </Field>
              <Field label="Tag">
                <input
                  value={form.tag ?? ''}
                  maxLength={60}
                  onChange={(event) => edit({ tag: event.target.value || null })}
                  className={inputClass}
                />
              </Field>
              <Field
                label="Gives a code of"
                hint={
                  form.offer && !form.doubleOptIn
                    ? 'Only to a confirmed address: switch double opt-in on'
                    : 'Shown after the click, once to each; code.issued tells flows of it'
                }
              >
                <select value={form.offer ?? ''} onChange={(event) => edit({ offer: event.target.value || null })} className={inputClass}>
                  <option value="">no offer</option>
                  {offers.data?.offers.map((one) => (
                    <option key={one.key} value={one.key}>
                      {one.name}
                    </option>
                  ))}
                  {form.offer && offers.data && !offers.data.offers.some(({ key }) => key === form.offer) && (
                    <option value={form.offer}>{form.offer} (gone)</option>
                  )}
                </select>
              </Field>
              <Field label="Promised for signing up">
                <select
                  value={form.promise?.kind ?? ''}
                  onChange={(event) =>
                    edit({
                      promise:
                        event.target.value === 'link'
                          ? { kind: 'link', url: 'https://shop.example/guide', label: 'The guide' }
                          : event.target.value === 'file'
                            ? form.promise
                            : null,
                    })
                  }
                  className={inputClass}
                >
                  <option value="">nothing</option>
                  <option value="link">a link</option>
                  <option value="file" disabled={form.promise?.kind !== 'file'}>
                    a file
                  </option>
                </select>
              </Field>
              <Field
                label="Or a file, up to 10 MB"
                hint={form.promise?.kind === 'file' ? `Kept: ${form.promise.label}` : 'PDF, EPUB, picture, text, ZIP, sound or film'}
              >
                <input
                  type="file"
                  onChange={(event) => event.target.files?.[0] && void keepFile(event.target.files[0])}
                  className="text-sm"
                />
              </Field>
              {form.promise && (
                <Field label="What it is called">
                  <input
                    value={form.promise.label}
                    maxLength={120}
                    onChange={(event) => edit({ promise: { ...form.promise!, label: event.target.value } })}
                    className={inputClass}
                  />
                </Field>
              )}
              {form.promise?.kind === 'link' && (
                <Field label="Its address">
                  <input
                    value={form.promise.url}
                    onChange={(event) => edit({ promise: { ...form.promise!, url: event.target.value } as Form['promise'] })}
                    className={inputClass}
                  />
                </Field>
              )}
              <div className="col-span-2 grid gap-2">
                <span className="text-xs font-semibold text-soft">Kept with each submission without being asked</span>
                {form.hidden.map((one, index) => (
                  <div key={index} className="grid grid-cols-[1fr_1fr_auto] gap-2">
                    <input
                      aria-label="Name of what is kept"
                      value={one.name}
                      onChange={(event) =>
                        edit({ hidden: form.hidden.map((other, at) => (at === index ? { ...other, name: event.target.value } : other)) })
                      }
                      className={`${inputClass} font-mono text-xs`}
                    />
                    <input
                      aria-label="Value of what is kept"
                      value={one.value}
                      onChange={(event) =>
                        edit({ hidden: form.hidden.map((other, at) => (at === index ? { ...other, value: event.target.value } : other)) })
                      }
                      className={inputClass}
                    />
                    <Button
                      kind="quiet"
                      aria-label={`Remove ${one.name}`}
                      onClick={() => edit({ hidden: form.hidden.filter((_, at) => at !== index) })}
                    >
                      <Trash2 size={16} aria-hidden="true" />
                    </Button>
                  </div>
                ))}
                <div>
                  <Button changes="/forms" onClick={() => edit({ hidden: [...form.hidden, { name: 'campaign', value: '' }] })}>
                    <Plus size={16} aria-hidden="true" />
                    Hidden value
                  </Button>
                </div>
              </div>
            </div>
          </Part>
        </div>
        <div className="grid gap-4">
          <Part title="As it is">
            <iframe key={shown} title="The form as it is" src={`/form/${view.key}?embedded=1`} className="h-[420px] w-full bg-white" />
          </Part>
          <Part title="Put it to use">
            <div className="grid grid-cols-[minmax(0,1fr)] gap-2 p-4">
              <Copied label="address" text={view.address} />
              <Copied isBlock label="embed tag" text={`<script src="${view.address}/embed.js" async></script>`} />
              <Field
                label="Sites that may show it in a frame"
                hint="One a line, such as https://shop.example. Browsers refuse to show it anywhere else."
              >
                <Sites sites={form.sites ?? []} onChange={(sites) => edit({ sites })} />
              </Field>
            </div>
          </Part>
          <Part title="Flows that listen">
            <div className="grid gap-2 p-4">
              {view.flows.map((flow) => (
                <p key={flow.key}>
                  <Link href={`/flows/${flow.key}`} className="font-semibold hover:underline">
                    {flow.name}
                  </Link>{' '}
                  <Label>{flow.listensTo === 'all' ? 'listens to all forms' : 'listens to this one'}</Label>
                </p>
              ))}
              {!view.flows.length && <p className="text-soft">No flow listens to this form yet.</p>}
              <div>
                <Button
                  changes="/flows"
                  onClick={() => void startFlow().then((isDone) => isDone && toast.success('A draft of a flow is ready.'))}
                >
                  Start a flow from this form
                </Button>
              </div>
            </div>
          </Part>
        </div>
      </div>
      {isWriting && form.doubleOptIn && (
        <LetterDesk
          title={`Asks those who filled “${form.name}” in`}
          letter={form.doubleOptIn.letter ?? confirmLetter(form.doubleOptIn.subject, form.doubleOptIn.text)}
          given={CONFIRM_SAMPLE}
          act="Done"
          onClose={() => setWriting(false)}
          onAct={(letter) => {
            edit({ doubleOptIn: { ...form.doubleOptIn!, letter } });
            setWriting(false);
          }}
        />
      )}
    </Page>
  );
}

const linesOf = (text: string): string[] => text.split(/[\s,]+/).filter(Boolean);
const sitesIn = (text: string): string[] =>
  [...new Set(linesOf(text).flatMap((line) => siteSchema.safeParse(line).data ?? []))].slice(0, 20);

/** Sites, one a line. What is being written stays as it is written while it says the same; what is a site already counts. */
function Sites({ sites, onChange }: { sites: readonly string[]; onChange: (sites: string[]) => void }) {
  const [written, setWritten] = useState('');
  const text = sitesIn(written).join() === sites.join() ? written : sites.join('\n');
  const odd = linesOf(text).filter((line) => !siteSchema.safeParse(line).success);
  const write = (next: string) => {
    setWritten(next);
    if (sitesIn(next).join() !== sites.join()) onChange(sitesIn(next));
  };
  return (
    <>
      <textarea
        rows={2}
        value={text}
        aria-label="Sites that may show it in a frame"
        className={areaClass}
        onChange={(event) => write(event.target.value)}
      />
      {odd.length > 0 && (
        <span role="alert" className="text-xs text-stop">
          {odd.join(', ')} {odd.length === 1 ? 'is' : 'are'} not the address of a site.
        </span>
      )}
    </>
  );
}
