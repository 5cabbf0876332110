import type { Channel } from '@/core/rules';

/** The address of a person on each channel, for `people p`: the same as `addressOf` in core/rules. */
export const ADDRESS_SQL: { readonly [channel in Channel]: string } = {
  email: `nullif(p.email, '')`,
  sms: `nullif(p.attributes->>'phone', '')`,
  push: `nullif(p.attributes->>'pushToken', '')`,
};

/** The address on the channel that an expression gives, for `people p`. */
export const addressSql = (channel: string): string =>
  `case ${channel} when 'email' then ${ADDRESS_SQL.email} when 'sms' then ${ADDRESS_SQL.sms} else ${ADDRESS_SQL.push} end`;
