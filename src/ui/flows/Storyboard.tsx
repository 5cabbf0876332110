'use client';

import { ImageDown, Printer } from 'lucide-react';
import { useRef } from 'react';
import type { FlowView } from '@/core/api';
import { armsOf, freeKey, sayGoal, sayStep, sayTriggers, stepsOf, wordingOf, type FlowDocument, type Step } from '@/core/flows';
import { headOf, textsOf } from '@/core/messages';
import { sayRule } from '@/core/rules';
import { Button, plural, saveAs, useStore, Link } from '../kit';
import { MapPicture } from '../map';

/** The width that the map is drawn for: a sheet of A4 on its side. */
const SHEET = 1060;

/** A draft as it hangs on the wall: the map with all its words, what it is for, every message and idea in turn. Printed, or saved as a picture. */
export function Storyboard({ flow }: { flow: FlowView }) {
  const { currency } = useStore();
  const document = flow.draft;
  const picture = useRef<HTMLDivElement>(null);
  const wording = wordingOf(document, currency);
  const steps = stepsOf(document);
  const ideas = steps.filter((step) => step.kind === 'idea').length;
  const messages = steps.filter((step) => step.kind === 'send').length;
  const save = () => {
    const svg = picture.current?.querySelector('svg');
    if (svg) saveAs(`${freeKey(document.name, [])}.svg`, svg.outerHTML, 'image/svg+xml');
  };
  return (
    <div className="mx-auto grid max-w-[1140px] gap-5 bg-panel p-6 print:max-w-none print:p-0">
      <header className="flex items-start gap-4">
        <div className="min-w-0 flex-1">
          <h1 className="text-xl font-semibold">{document.name}</h1>
          {document.description && <p className="text-soft">{document.description}</p>}
          <p>
            When: {sayTriggers(document.triggers)}.{document.entry && ` Enters who ${sayRule(document.entry, wording)}.`}
            {document.stay && ` Stays who ${sayRule(document.stay, wording)}.`}
            {document.goal && ` Goal: ${sayGoal(document.goal, wording)}.`}
          </p>
          <p className="text-soft">
            {plural(messages, 'message', 'messages')}
            {ideas > 0 && `, ${plural(ideas, 'idea', 'ideas')} still to be worked out`}
            {flow.version === null ? '; never published' : `; version ${flow.version} is ${flow.state}`}.
          </p>
        </div>
        <div className="flex gap-2 print:hidden">
          <Link href={`/flows/${flow.key}`} className="flex h-9 items-center px-2 text-accent underline">
            Back to the flow
          </Link>
          <Button onClick={save}>
            <ImageDown size={16} aria-hidden="true" /> Save as SVG
          </Button>
          <Button kind="primary" onClick={() => window.print()}>
            <Printer size={16} aria-hidden="true" /> Print
          </Button>
        </div>
      </header>
      <div ref={picture} className="overflow-x-auto rounded-md border border-line bg-white print:border-0">
        <MapPicture document={document} width={SHEET} />
      </div>
      <section aria-label="Step by step">
        {steps.length ? <Told steps={document.steps} /> : <p className="text-soft">Nothing happens yet.</p>}
      </section>
    </div>
  );
}

/** Steps as cards; what stands in arms is set in below the name of its arm. */
function Told({ steps }: { steps: FlowDocument['steps'] }) {
  return (
    <ol className="grid gap-2">
      {steps.map((step) => (
        <li key={step.id} className="break-inside-avoid">
          <Card step={step} />
          {armsOf(step).map((arm) => (
            <div key={arm.id} className="ml-3 mt-2 border-l-2 border-line pl-3">
              <h3 className="font-semibold">{arm.name}</h3>
              {arm.steps.length ? <Told steps={arm.steps} /> : <p className="text-soft">nothing happens</p>}
            </div>
          ))}
        </li>
      ))}
    </ol>
  );
}

function Card({ step }: { step: Step }) {
  if (step.kind === 'send') {
    const { message } = step;
    const [, ...texts] = textsOf(message);
    return (
      <div className="rounded-md border border-line p-3">
        <p>
          <b>{sayStep(step)}</b>
          {step.off && ' (off)'}
        </p>
        <p className="font-semibold">{headOf(message)}</p>
        <p className="line-clamp-6 whitespace-pre-line text-soft">{texts.filter((text) => text.trim()).join('\n')}</p>
      </div>
    );
  }
  if (step.kind === 'idea') return <p className="rounded-md border border-dashed border-caution p-3">{step.text}</p>;
  return <p>{sayStep(step)}</p>;
}
