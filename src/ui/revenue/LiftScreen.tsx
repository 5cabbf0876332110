'use client';

import { useQuery } from '@tanstack/react-query';
import type { FlowLiftView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { api, Empty, Failed, Link, ofBefore, Page, Part, plural, sayCount, Spans } from '../kit';
import { sayDays } from './sayDays';
import { usePeriod } from './usePeriod';

/** What flows add, by those who were kept out of them by lot: beside what their messages are credited with. */
export function LiftScreen() {
  const { query, field, key, error: clockError, retry } = usePeriod('180');
  const { data, error, refetch, isPlaceholderData } = useQuery({
    queryKey: ['lifts', key],
    queryFn: () => api<{ lifts: FlowLiftView[]; all: FlowLiftView | null }>(`/revenue/lifts?${query}`),
    enabled: query !== null,
    placeholderData: (before) => before,
  });
  const failed = clockError ?? error;
  if (failed) return <Failed error={failed} retry={() => (clockError ? retry() : void refetch())} />;
  return (
    <Page
      title="Lift"
      about="Would they have bought anyway? Who entered a flow, or may get marketing at all, against who was kept out by lot, from the same moment on."
      acts={field}
    >
      {!data ? (
        <Empty title="Reckoning…" />
      ) : !data.lifts.length && !data.all ? (
        <Empty title="No flow keeps anybody out">
          Set a control group where a flow says who enters: a few of a hundred are kept out by lot, and what they do tells what the flow
          adds. For all flows together there is one in{' '}
          <Link href="/settings/sending" className="text-accent underline">
            Sending
          </Link>
          .
        </Empty>
      ) : (
        <div className="grid gap-5" {...ofBefore(isPlaceholderData)}>
          {[...(data.all ? [data.all] : []), ...data.lifts].map((one) => (
            <FlowLift key={one.flow?.key ?? ''} lift={one} />
          ))}
          {!data.all && (
            <p className="text-soft">
              What all flows add together shows once a few people get no marketing at all: set it in{' '}
              <Link href="/settings/sending" className="text-accent underline">
                Sending
              </Link>
              .
            </p>
          )}
        </div>
      )}
    </Page>
  );
}

function FlowLift({ lift }: { lift: FlowLiftView }) {
  const say = (minor: number) => `${minor < 0 ? '−' : ''}${sayMoney({ currency: lift.currency, minor: Math.round(Math.abs(minor)) })}`;
  const { people, buyers, waiting, interval, flow } = lift;
  const name = flow?.name ?? 'All flows together';
  const time = `${flow ? 'within' : 'since'} ${lift.window}`;
  return (
    <Part
      title={name}
      acts={
        <Link href={flow ? `/flows/${flow.key}` : '/settings/sending'} className="text-accent underline">
          {flow ? 'To the flow' : 'To the control group'}
        </Link>
      }
    >
      <div className="grid grid-cols-[1fr_560px] gap-8 p-4">
        <div className="grid content-start gap-3">
          <p data-testid="lift-says">{lift.says}</p>
          <dl className="grid gap-1.5 tabular">
            <Row
              term={flow ? 'Went in' : 'May get marketing'}
              value={`${plural(people.in, 'person', 'people')}, ${say(lift.perPerson.in)} each; ${sayCount(buyers.in)} ordered`}
            />
            <Row
              term={`Kept out (${lift.control} %)`}
              value={`${plural(people.out, 'person', 'people')}, ${say(lift.perPerson.out)} each; ${sayCount(buyers.out)} ordered`}
            />
            <Row term="Credited, by the model shown" value={say(lift.credited)} />
            {lift.lift !== null && interval !== null && (interval.low > 0 || interval.high < 0) && (
              <Row term="Caused in all, about" value={say(lift.lift * people.in)} />
            )}
            {(waiting.in > 0 || waiting.out > 0) && (
              <Row term={`Not through their ${lift.window} yet`} value={`${sayCount(waiting.in)} and ${sayCount(waiting.out)}`} />
            )}
            {lift.moreNeeded !== null && lift.moreNeeded > 0 && (
              <Row
                term="Until it could be sure"
                value={`about ${sayCount(lift.moreNeeded)} more kept out${lift.daysNeeded === null ? '' : `, ${sayDays(lift.daysNeeded)}`}`}
              />
            )}
            {lift.explained > 0.005 && (
              <Row
                term="Explained by what they spent before"
                value={`${Math.round(lift.explained * 100)} % of the differences between people`}
              />
            )}
          </dl>
          <p className="text-xs text-soft">{lift.method}</p>
        </div>
        {interval && lift.lift !== null ? (
          <Spans
            label={`What ${flow ? name : 'all of it'} adds a person`}
            axis={`${lift.currency} a person ${time}`}
            say={say}
            spans={[{ key: 'lift', name: 'Added a person', value: lift.lift, low: interval.low, high: interval.high, isCaused: true }]}
          />
        ) : (
          <p className="self-center text-center text-soft">There is a picture once enough people were kept out.</p>
        )}
      </div>
    </Part>
  );
}

function Row({ term, value }: { term: string; value: string }) {
  return (
    <div className="flex justify-between gap-4">
      <dt className="text-soft">{term}</dt>
      <dd className="text-right">{value}</dd>
    </div>
  );
}
