'use client';

import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { MOST_SUBJECTS } from '@/core/flows';
import { placeholderProblem } from '@/core/messages';
import { Button, Dialog, inputClass } from '../kit';

/** Several subjects of one letter, tried against one another: everyone draws one of them. */
export function SubjectsDialog({
  subject,
  onClose,
  onTest,
}: {
  subject: string;
  onClose: () => void;
  onTest: (subjects: string[]) => void;
}) {
  const [subjects, setSubjects] = useState([subject, '']);
  const filled = subjects.map((one) => one.trim()).filter(Boolean);
  const isTwice = new Set(filled).size < filled.length;
  const problem = filled.map(placeholderProblem).find((one) => one !== null) ?? (isTwice ? 'Two of them are the same.' : null);
  const put = (index: number, text: string) => setSubjects(subjects.map((one, at) => (at === index ? text : one)));
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={600}
      title="Test subjects"
      about="Everyone draws one of these, in equal parts; the letter is otherwise the same. What came of each stands in Results, where one is kept for all."
    >
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!problem && filled.length > 1) onTest(filled);
        }}
      >
        {subjects.map((one, index) => (
          <div key={index} className="flex items-center gap-2">
            <input
              aria-label={`Subject ${index + 1}`}
              autoFocus={index === 1}
              value={one}
              maxLength={300}
              placeholder={index ? 'Another subject' : 'What it is about'}
              onChange={(event) => put(index, event.target.value.replace(/[\r\n]+/g, ' '))}
              className={inputClass}
            />
            {subjects.length > 2 && (
              <Button aria-label={`Remove subject ${index + 1}`} onClick={() => setSubjects(subjects.filter((_, at) => at !== index))}>
                <X size={16} aria-hidden="true" />
              </Button>
            )}
          </div>
        ))}
        {problem && (
          <p role="alert" className="text-stop">
            {problem}
          </p>
        )}
        <div className="flex justify-end gap-2">
          {subjects.length < MOST_SUBJECTS && (
            <Button onClick={() => setSubjects([...subjects, ''])} className="mr-auto">
              <Plus size={16} aria-hidden="true" /> Another
            </Button>
          )}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" kind="primary" disabled={filled.length < 2 || problem !== null}>
            {filled.length < 2 ? 'Create the test' : `Create a test of ${filled.length}`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
