'use client';

import { createContext } from 'react';
import { type Known, type Rule } from '@/core/rules';
import { Compared, is, type LineProps, type OfKind } from './compared';
import { PickWord, TypeWord } from './words';

/** Steps of the flow in which a rule stands of which something comes; outside of flows there are none. */
export const AnswersContext = createContext<Known['answers']>([]);

/** What came of an earlier step of the flow: whether it came, or a property of it. */
export function Answered({ test, known, put }: LineProps<OfKind<'answer'>>) {
  const all = known.answers.some(({ step }) => step === test.step)
    ? known.answers
    : [...known.answers, { step: test.step, says: `step ${test.step}, which is gone` }];
  const step = (
    <PickWord
      label="Of which step"
      value={test.step}
      options={all.map((one) => [one.step, one.says])}
      onChange={(to) => put({ ...test, step: to }, 'step')}
    />
  );
  if ('came' in test)
    return (
      <>
        what was waited for at {step} {is(test.came, 'came', 'did not come', 'Whether', (came) => put({ ...test, came }, 'came'))}
      </>
    );
  return (
    <>
      <TypeWord
        label="Property of what came"
        value={test.property}
        read={(text) => text.trim() || undefined}
        onChange={(property) => put({ ...test, property: property.trim() }, 'property')}
      />{' '}
      of what came at {step}{' '}
      <Compared
        test={test}
        onChange={(change, field) => put({ test: 'answer', step: test.step, property: test.property, ...change } as Rule, field)}
      />
    </>
  );
}
