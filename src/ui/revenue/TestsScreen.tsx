'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { TestsView, TestView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { TOO_UNEVEN } from '@/core/revenue';
import { leastSeen, peoplePerArm } from '@/core/stats';
import {
  TEST_METRICS,
  api,
  Ask,
  Button,
  Empty,
  Failed,
  Field,
  Label,
  Link,
  NumberField,
  Page,
  Part,
  percent,
  plural,
  sayCount,
  sayShare,
  Spans,
} from '../kit';
import { sayDays } from './sayDays';

/** How likely something is; never as sure as it is rounded. */
const sayChance = (chance: number): string => (chance > 0.999 ? 'over 99.9%' : chance < 0.001 ? 'under 0.1%' : percent(chance));

/** Tests of flows: what came of each arm, what can be said of it by now, and how many people one needs. */
export function TestsScreen() {
  const { data, error, refetch } = useQuery({ queryKey: ['tests'], queryFn: () => api<TestsView>('/tests') });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  const decided = data?.tests.filter(({ ahead }) => ahead !== null).length ?? 0;
  return (
    <Page
      title="Tests"
      about={
        data && data.tests.length > 0
          ? `${plural(data.tests.length, 'test', 'tests')}, ${decided === 0 ? 'none' : sayCount(decided)} with a winner.`
          : 'Ways of a flow, messages, subjects, delays or offers, tried against one another.'
      }
    >
      <div className="grid gap-5">
        {!data ? (
          <Empty title="Calculating…" />
        ) : data.tests.length ? (
          data.tests.map((test) => <OneTest key={`${test.flow.key}/${test.step}`} test={test} />)
        ) : (
          <Empty title="No flow tests anything yet">
            Put the step “Test” into a flow, or try several subjects of a letter where it is written.
          </Empty>
        )}
        <Power perDay={data?.tests[0]?.perDay ?? 20} />
      </div>
    </Page>
  );
}

function OneTest({ test }: { test: TestView }) {
  const money = (minor: number) => `${minor < 0 ? '−' : ''}${sayMoney({ currency: test.currency, minor: Math.round(Math.abs(minor)) })}`;
  const client = useQueryClient();
  const [isKeeping, setKeeping] = useState(false);
  const winner = test.arms.find(({ id }) => id === test.ahead);
  const isOfMessages = test.goes === 'opened' || test.goes === 'clicked';
  const rated = test.arms.flatMap(({ id, name, rate }) =>
    rate ? [{ key: id, name, value: rate.share, low: rate.low, high: rate.high }] : [],
  );
  return (
    <Part
      title={`${test.name}, in ${test.flow.name}`}
      acts={
        <span className="flex items-center gap-3">
          {winner && test.decidedAt === null && (
            <Button changes="/tests" onClick={() => setKeeping(true)}>
              Keep “{winner.name}”…
            </Button>
          )}
          <Link href={`/flows/${test.flow.key}`} className="text-accent underline">
            To the flow
          </Link>
        </span>
      }
    >
      {winner && (
        <Ask
          isOpen={isKeeping}
          onClose={() => setKeeping(false)}
          title={`Keep only “${winner.name}”?`}
          about={
            `A new version of ${test.flow.name} is published without the test: whoever comes to it from now on goes this way. ` +
            'Whoever is inside stays on the version they are on, and what the test has shown so far stays in its history.'
          }
          act="Publish"
          onAct={async () => {
            const { version } = await api<{ version: number }>(`/tests/${test.flow.key}/${test.step}/keep`, {
              method: 'POST',
              body: { arm: winner.id },
            });
            toast(`Version ${version} of ${test.flow.name} is on.`);
            await client.invalidateQueries({ queryKey: ['tests'] });
          }}
        />
      )}
      <div className="grid gap-4 p-4">
        <p data-testid="test-says">
          {test.says}
          {test.moreNeeded !== null && test.moreNeeded > 0 && (
            <>
              {' '}
              About {sayCount(test.moreNeeded)} more people in each variant would settle a difference like this
              {test.daysNeeded !== null && `: ${sayDays(test.daysNeeded)}`}.
            </>
          )}
          {test.evenness < TOO_UNEVEN && <Label tone="stop">parts too uneven</Label>}
        </p>
        <div className="grid grid-cols-[1fr_560px] gap-8">
          <table className="w-full self-start text-sm tabular">
            <thead>
              <tr className="border-b border-line text-xs text-soft">
                <th className="py-1 text-left font-normal">Variant</th>
                <th className="py-1 text-right font-normal">People</th>
                <th className="py-1 text-right font-normal">{TEST_METRICS[test.goes]}</th>
                <th className="py-1 text-right font-normal">Per person</th>
                <th className="py-1 text-right font-normal">Clicked</th>
                <th className="py-1 text-right font-normal">Chance of being best</th>
              </tr>
            </thead>
            <tbody>
              {test.arms.map((arm) => (
                <tr key={arm.id} className="border-b border-line align-top">
                  <th scope="row" className="py-1.5 pr-2 text-left font-normal">
                    {arm.name} {test.ahead === arm.id && <Label tone="good">Winner</Label>}
                  </th>
                  <td className="py-1.5 text-right">
                    {sayCount(arm.people)}
                    {arm.waiting > 0 && <span className="block text-xs text-soft">{sayCount(arm.waiting)} wait</span>}
                  </td>
                  <td className="py-1.5 text-right">
                    {sayCount(arm.goals)}
                    <span className="block text-xs text-soft">{sayShare(arm.goals, arm.people)}</span>
                  </td>
                  <td className="py-1.5 text-right">
                    {arm.perPerson ? money(arm.perPerson.minor) : ''}
                    {arm.perPerson && (
                      <span className="block whitespace-nowrap text-xs text-soft">
                        {money(arm.perPerson.low)} to {money(arm.perPerson.high)}
                      </span>
                    )}
                  </td>
                  <td className="py-1.5 text-right">{sayShare(arm.clickers, arm.people)}</td>
                  <td className="py-1.5 text-right">{arm.chance === null ? '' : sayChance(arm.chance)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {rated.length > 0 && (
            <Spans
              label={`${test.name} by variant`}
              axis={
                isOfMessages
                  ? `${TEST_METRICS[test.goes]}, share of people`
                  : `${TEST_METRICS[test.goes]} within ${test.window} of entering`
              }
              spans={rated}
              say={percent}
            />
          )}
        </div>
        <p className="text-xs text-soft">{test.method} The chance of being best comes from the same evidence.</p>
      </div>
    </Part>
  );
}

/** How many people a test needs before it starts, and what so many could see. */
function Power({ perDay }: { perDay: number }) {
  const [was, setWas] = useState(10);
  const [is, setIs] = useState(12);
  const [arms, setArms] = useState(2);
  const [day, setDay] = useState<number | null>(null);
  const [weeks, setWeeks] = useState(4);
  const rate = day ?? Math.max(1, Math.round(perDay));
  const needed = was > 0 && was < 100 && is > 0 && is < 100 && was !== is ? peoplePerArm(was / 100, is / 100) : null;
  const each = Math.floor((rate * weeks * 7) / Math.max(2, arms));
  const seen = leastSeen(Math.min(0.99, Math.max(0.001, was / 100)), each);
  return (
    <Part title="Before a test starts">
      <div className="grid gap-3 p-4">
        <div className="grid max-w-[900px] grid-cols-5 gap-3">
          <Field label="Now, of 100">
            <NumberField min={0.1} max={99} step="any" value={was} onChange={setWas} />
          </Field>
          <Field label="To be seen, of 100">
            <NumberField min={0.1} max={99} step="any" value={is} onChange={setIs} />
          </Field>
          <Field label="Ways">
            <NumberField min={2} max={12} value={arms} onChange={(many) => setArms(Math.round(many))} />
          </Field>
          <Field label="People a day">
            <NumberField min={1} max={1_000_000} value={rate} onChange={setDay} />
          </Field>
          <Field label="Weeks at most">
            <NumberField min={1} max={52} value={weeks} onChange={setWeeks} />
          </Field>
        </div>
        <p data-testid="power">
          {needed === null
            ? 'Write two shares that differ.'
            : `${plural(needed, 'person', 'people')} in each way, ${plural(Math.ceil((needed * arms) / rate), 'day', 'days')} in all.`}{' '}
          {seen === null
            ? `In ${plural(weeks, 'week', 'weeks')} no difference could be seen.`
            : `In ${plural(weeks, 'week', 'weeks')} (${sayCount(each)} in each way) ${percent(seen)} could be told from ${was} %.`}
        </p>
        <p className="text-xs text-soft">
          Two-sided at 5 %, found four times of five (power 80 %), without correction for continuity (Fleiss). Looked at whenever one likes,
          as the verdicts above may be, it takes up to about twice as many.
        </p>
      </div>
    </Part>
  );
}
