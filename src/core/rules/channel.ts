/** The ways to write to somebody; in this order everywhere. */
export const CHANNELS = ['email', 'sms', 'push'] as const;
export type Channel = (typeof CHANNELS)[number];

/** What an address on a channel is called, and what writing on it is called. */
export const CHANNEL_WORDS: {
  readonly [channel in Channel]: { readonly name: string; readonly address: string; readonly noun: string; readonly able: string };
} = {
  email: { name: 'Email', address: 'email address', noun: 'email', able: 'be emailed' },
  sms: { name: 'SMS', address: 'phone number', noun: 'SMS', able: 'be sent SMS' },
  push: { name: 'Push', address: 'device for push', noun: 'push', able: 'be sent push messages' },
};
