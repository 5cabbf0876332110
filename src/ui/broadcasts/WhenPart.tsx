'use client';

import { useQuery } from '@tanstack/react-query';
import type { FeedView } from '@/core/api';
import type { Broadcast } from '@/core/broadcasts';
import { api, DurationField, Field, inputClass, NumberField } from '../kit';
import { ScheduleFields, Tick } from '../flows';
import { Step } from './Step';

type Change = (broadcast: Broadcast, tag: string) => void;

/** When it goes out: at which moment, how fast, how often, and only when there is news. */
export function WhenPart({ broadcast, change }: { broadcast: Broadcast; change: Change }) {
  const { when, pace, news } = broadcast;
  const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => api<{ feeds: FeedView[] }>('/feeds'), staleTime: 60_000 });
  const way = pace === null ? 'at-once' : 'over' in pace ? 'over' : 'best';
  return (
    <Step title="When">
      <ScheduleFields trigger={when} put={(next, field) => change({ ...broadcast, when: next }, `when.${field}`)} />
      <Field label="How">
        <select
          value={way}
          onChange={(event) =>
            change(
              {
                ...broadcast,
                pace: event.target.value === 'over' ? { over: 'PT4H' } : event.target.value === 'best' ? { otherwise: '10:00' } : null,
              },
              'pace',
            )
          }
          className={inputClass}
        >
          <option value="at-once">to all at that moment</option>
          <option value="over">spread over some hours</option>
          <option value="best">to each at the hour they mostly open</option>
        </select>
      </Field>
      {pace && 'over' in pace && (
        <DurationField label="Spread over" value={pace.over} onChange={(over) => change({ ...broadcast, pace: { over } }, 'pace.over')} />
      )}
      {pace && 'otherwise' in pace && (
        <Field
          label="For those of whom that is not known"
          hint="Known of whoever has opened at least three messages in the last 90 days; by their own clocks, within a day of the moment above."
        >
          <input
            type="time"
            value={pace.otherwise}
            onChange={(event) =>
              event.target.value && change({ ...broadcast, pace: { otherwise: event.target.value.slice(0, 5) } }, 'pace.otherwise')
            }
            className={inputClass}
          />
        </Field>
      )}
      <div className="grid gap-3 border-t border-line pt-3">
        <Tick
          label="Only when a feed has something new"
          isOn={news !== null}
          onChange={(isOn) =>
            change({ ...broadcast, news: isOn ? { feed: feeds.data?.feeds[0]?.key ?? 'feed', atLeast: 1 } : null }, 'news')
          }
        />
        {news && (
          <>
            <Field label="Feed" hint="The letter shows it by a feed block “only what is new”.">
              <select
                value={news.feed}
                onChange={(event) => change({ ...broadcast, news: { ...news, feed: event.target.value } }, 'news.feed')}
                className={inputClass}
              >
                {!feeds.data?.feeds.some(({ key }) => key === news.feed) && (
                  <option value={news.feed}>{news.feed}, which is not read</option>
                )}
                {(feeds.data?.feeds ?? []).map((feed) => (
                  <option key={feed.key} value={feed.key}>
                    {feed.name}
                  </option>
                ))}
              </select>
            </Field>
            <Field label="New entries at least">
              <NumberField
                min={1}
                max={50}
                step={1}
                value={news.atLeast}
                onChange={(atLeast) =>
                  change({ ...broadcast, news: { ...news, atLeast: Math.min(50, Math.max(1, Math.round(atLeast))) } }, 'news.least')
                }
              />
            </Field>
          </>
        )}
        <DurationField
          label="Orders count as reached by it for"
          value={broadcast.within}
          onChange={(within) => change({ ...broadcast, within }, 'within')}
        />
      </div>
    </Step>
  );
}
