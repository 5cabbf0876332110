import { describe, expect, it } from 'vitest';
import { recordsFor, recordState } from './domain';

const wanted = recordsFor('shop.example', { selector: 'viatic', publicKey: 'MIIBIjAN', allowed: 'include:mail.viatic.example' });
const [dkim, spf, dmarc] = wanted as [(typeof wanted)[0], (typeof wanted)[0], (typeof wanted)[0]];

describe('the records of a sender’s domain', () => {
  it('stand under the names that RFC 6376 §3.6.2.1, RFC 7208 §3 and RFC 7489 §6.1 give them', () => {
    expect(wanted.map(({ name, value }) => `${name} ${value}`)).toEqual([
      'viatic._domainkey.shop.example v=DKIM1; k=rsa; p=MIIBIjAN',
      'shop.example v=spf1 include:mail.viatic.example ~all',
      '_dmarc.shop.example v=DMARC1; p=none',
    ]);
    expect(recordsFor('x.example', { selector: 's', publicKey: null, allowed: '' }).map(({ kind }) => kind)).toEqual(['dmarc']);
  });

  it.each([
    // RFC 6376 §3.6.1: version and type may be left out, white space within the key counts for nothing
    [dkim, ['v=DKIM1; k=rsa; p=MIIBIjAN'], 'there'],
    [dkim, ['p=MIIB IjAN'], 'there'],
    [dkim, ['k=rsa;p=MIIBIjAN;t=y'], 'there'],
    [dkim, [], 'none'],
    [dkim, ['some other text'], 'none'],
    [dkim, ['v=DKIM1; p='], 'The key was withdrawn'],
    [dkim, ['v=DKIM1; p=AAAA'], 'Another key stands there'],
    [dkim, ['v=DKIM2; p=MIIBIjAN'], 'another version'],
    // RFC 7208 §4.5: other TXT records beside it are no matter, two of its kind are an error
    [spf, ['v=spf1 a mx include:mail.viatic.example -all', 'site-check=12'], 'there'],
    [spf, ['V=SPF1 +include:MAIL.viatic.example ?all'], 'there'],
    [spf, ['v=spf10 include:mail.viatic.example'], 'none'],
    [spf, ['v=spf1 mx -all'], 'add include:mail.viatic.example'],
    [spf, ['v=spf1 mx -all', 'v=spf1 include:mail.viatic.example ~all'], 'There are two'],
    // RFC 7489 §6.3: the version comes first
    [dmarc, ['v=DMARC1; p=reject; rua=mailto:a@shop.example'], 'there'],
    [dmarc, ['p=none; v=DMARC1'], 'none'],
    [dmarc, ['v=DMARC1; sp=none'], 'does not say p='],
  ] as const)('%o of %o is %s', (record, found, says) => {
    const state = recordState(record, found);
    if (says === 'there' || says === 'none') expect(state).toEqual({ state: says });
    else expect(state).toMatchObject({ state: 'wrong', because: expect.stringContaining(says) as string });
  });
});
