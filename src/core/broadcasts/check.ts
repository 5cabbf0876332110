import type { Finding } from '../flows';
import { formsOf, nextOccasion, planOf, type FlowDocument, type Trigger } from '../flows';
import type { Instant } from '../time';

type Schedule = Extract<Trigger, { kind: 'schedule' }>;
const scheduleOf = ({ triggers }: FlowDocument): Schedule | null =>
  triggers.find((one): one is Schedule => one.kind === 'schedule') ?? null;

/** What is to be mended about a broadcast beside what holds of any flow: its moment, and what its messages show of a feed. */
export function checkBroadcast(document: FlowDocument, now: Instant, zone: string): Finding[] {
  const schedule = scheduleOf(document);
  if (document.as !== 'broadcast' || !schedule) return [];
  const found: Finding[] = [];
  const add = (code: string, level: Finding['level'], says: string, mend: string, stepId: string | null = null) =>
    found.push({ code, level, says, mend, stepId });
  if (nextOccasion(schedule, now, zone) === null)
    add(
      'time-gone-by',
      'stops',
      'The moment at which it is to go out has gone by',
      'Choose a moment that is still to come, or send it now.',
    );
  const tests = [...planOf(document).steps.values()].filter((step) => step.kind === 'test');
  const waits = [...planOf(document).steps.values()].filter((step) => step.kind === 'wait');
  if (tests.some(({ trial }) => trial) && (schedule.clocks === 'person' || waits.some(({ best }) => best)))
    add(
      'trial-by-own-hours',
      'stops',
      'It is tried on a part first, but people get it at hours of their own: the part would be tried for a day and more',
      'Send it at one moment by the clocks of the store, or try it on everybody.',
    );
  if (schedule.news)
    for (const step of planOf(document).steps.values())
      if (
        step.kind === 'send' &&
        formsOf(step).some(
          ({ message }) =>
            message.channel === 'email' &&
            !message.blocks.some((block) => block.kind === 'feed' && block.news && block.feed === schedule.news!.feed),
        )
      )
        add(
          'news-not-shown',
          'warns',
          `“${step.name}” goes out when there is news, and does not show it`,
          'Put a feed in that shows what is new since the last time.',
          step.id,
        );
  return found;
}
