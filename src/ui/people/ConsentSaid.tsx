import type { UseFormReturn } from 'react-hook-form';
import { CHANNELS, CHANNEL_WORDS, type Channel } from '@/core/rules';
import { Entry } from '../kit';

interface Said {
  channel: Channel;
  state: 'given' | 'withdrawn';
}

/** For which channel a word on consent is entered, and which of the two. */
export function ConsentSaid<In extends Said>({ form }: { form: UseFormReturn<In, unknown, unknown> }) {
  const fields = form as unknown as UseFormReturn<Said>;
  return (
    <div className="grid grid-cols-2 gap-3">
      <Entry form={fields} name="channel" as="select" label="Channel">
        {CHANNELS.map((one) => (
          <option key={one} value={one}>
            {CHANNEL_WORDS[one].name}
          </option>
        ))}
      </Entry>
      <Entry form={fields} name="state" as="select" label="State">
        <option value="given">given</option>
        <option value="withdrawn">withdrawn</option>
      </Entry>
    </div>
  );
}
