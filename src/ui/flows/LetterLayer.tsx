'use client';

import { ArrowLeft } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import { changeStep, messageOf, planOf, stepsOf, testSubjects, type FlowDocument, type SendStep } from '@/core/flows';
import type { Email } from '@/core/messages';
import { Button, Dialog } from '../kit';
import { Composer, FromLibrary } from '../letters';
import type { Edit } from './fields';
import { VersionHead, VersionStrip } from './MessageVersions';
import { SubjectsDialog } from './SubjectsDialog';

/** The letter of a step on the whole screen: every version of it, and the way back to the map. */
export default function LetterLayer({
  document,
  stepId,
  version: opened,
  edit,
  onClose,
  back = 'To the map',
}: {
  document: FlowDocument;
  stepId: string;
  version: string | null;
  edit: Edit;
  onClose: () => void;
  /** where closing leads */
  back?: string;
}) {
  const [chosen, setChosen] = useState(opened);
  const [isVersion, setVersion] = useState(false);
  const [isSubjects, setSubjects] = useState(false);
  const step = planOf(document).steps.get(stepId);
  if (step?.kind !== 'send') return null;
  const version = step.versions?.find(({ id }) => id === chosen) ?? null;
  const message = messageOf(step, version?.id);
  const startedBy = document.triggers[0]?.event ?? null;
  const put = (next: SendStep, field: string) =>
    edit(
      changeStep(document, stepId, () => next),
      `${stepId}.${field}`,
    );
  const write = (next: Email, tag: string) =>
    version
      ? put(
          { ...step, versions: step.versions!.map((one) => (one.id === version.id ? { ...one, message: next } : one)) },
          tag && `${version.id}.${tag}`,
        )
      : put({ ...step, message: next }, tag);
  return (
    <div className="flex min-h-0 flex-1 flex-col bg-panel">
      {message.channel === 'email' && (
        <Composer
          key={version?.id ?? ''}
          message={message}
          startedBy={startedBy}
          hasOffer={stepsOf(document).some(({ kind }) => kind === 'code')}
          onChange={write}
          strip={
            <>
              <Button onClick={onClose}>
                <ArrowLeft size={16} aria-hidden="true" /> {back}
              </Button>
              <h2 className="max-w-[220px] truncate px-1 font-semibold" title={step.name}>
                {step.name}
              </h2>
              <VersionStrip step={step} chosen={version?.id ?? null} onChoose={setChosen} onChange={put} counts />
              <FromLibrary message={message} name={version ? `${step.name} (${version.name})` : step.name} onChange={write} />
              {!version && document.as !== 'broadcast' && <Button onClick={() => setSubjects(true)}>Test subjects…</Button>}
              {version && <Button onClick={() => setVersion(true)}>Who gets it…</Button>}
            </>
          }
        />
      )}
      {isSubjects && message.channel === 'email' && (
        <SubjectsDialog
          subject={message.subject}
          onClose={() => setSubjects(false)}
          onTest={(subjects) => {
            setSubjects(false);
            const made = testSubjects(document, stepId, subjects);
            if (made.id === null) return;
            edit(made.flow, '');
            toast.success(`The letter is tried under ${subjects.length} subjects from the next publishing on. It can be undone.`);
          }}
        />
      )}
      {isVersion && version && (
        <Dialog isOpen onClose={() => setVersion(false)} title={`Who gets “${version.name}”`} width={640}>
          <VersionHead
            step={step}
            version={version}
            triggerType={startedBy ?? ''}
            onChange={put}
            onChoose={(id) => (setChosen(id), setVersion(false))}
          />
        </Dialog>
      )}
    </div>
  );
}
