/** A record that the DNS of a sender's domain is to have, so that receivers know its mail (all three are TXT records). */
export interface DomainRecord {
  readonly kind: 'dkim' | 'spf' | 'dmarc';
  /** under which name it stands */
  readonly name: string;
  /** what is to stand there; for SPF, what is to be put into the record that there may be already */
  readonly value: string;
}

/** How a record stands: there as wanted; none; or something else, with what is wrong about it. */
export type RecordState = { readonly state: 'there' | 'none' } | { readonly state: 'wrong'; readonly because: string };

/**
 * What a domain is to have: the public key of our signatures (DKIM, RFC 6376 §3.6.1), whoever may send in its name (SPF, RFC 7208), and
 * what receivers are to do with what is not signed (DMARC, RFC 7489). Without a key or whom to allow, that one is left out.
 */
export function recordsFor(
  domain: string,
  { selector, publicKey, allowed }: { readonly selector: string; readonly publicKey: string | null; readonly allowed: string },
): DomainRecord[] {
  return [
    ...(publicKey ? [{ kind: 'dkim' as const, name: `${selector}._domainkey.${domain}`, value: `v=DKIM1; k=rsa; p=${publicKey}` }] : []),
    ...(allowed ? [{ kind: 'spf' as const, name: domain, value: `v=spf1 ${allowed} ~all` }] : []),
    { kind: 'dmarc', name: `_dmarc.${domain}`, value: 'v=DMARC1; p=none' },
  ];
}

/** The tags of a record of `name=value` pairs with semicolons between them; white space counts for nothing. */
const tagsOf = (text: string): Map<string, string> =>
  new Map(
    text.split(';').flatMap((pair) => {
      const at = pair.indexOf('=');
      return at < 0 ? [] : [[pair.slice(0, at).trim().toLowerCase(), pair.slice(at + 1).replace(/\s+/g, '')] as const];
    }),
  );

/** Holds what was found under the name of a record against what is to stand there: the TXT records, each whole. */
export function recordState({ kind, value }: DomainRecord, found: readonly string[]): RecordState {
  if (kind === 'spf') {
    const its = found.filter((text) => /^v=spf1(\s|$)/i.test(text));
    if (!its.length) return { state: 'none' };
    // RFC 7208 §4.5: more than one, and none of them counts
    if (its.length > 1) return { state: 'wrong', because: 'There are two such records; put them together into one.' };
    const terms = its[0]!.toLowerCase().split(/\s+/);
    const missing = value
      .toLowerCase()
      .split(/\s+/)
      .slice(1, -1)
      .filter((term) => !terms.some((one) => one.replace(/^\+/, '') === term));
    return missing.length
      ? { state: 'wrong', because: `It does not allow our mail yet; add ${missing.join(' ')} before its last word.` }
      : { state: 'there' };
  }
  const version = kind === 'dkim' ? 'DKIM1' : 'DMARC1';
  // RFC 6376 §3.6.1: the version of a key may be left out; RFC 7489 §6.3: that of a policy comes first
  const its = found.filter((text) => (kind === 'dkim' ? /(^|;)\s*p=/i.test(text) : /^v\s*=\s*DMARC1\s*(;|$)/.test(text)));
  if (!its.length) return { state: 'none' };
  if (its.length > 1) return { state: 'wrong', because: 'There are two such records; delete the one that is not ours.' };
  const tags = tagsOf(its[0]!);
  if ((tags.get('v') ?? version) !== version) return { state: 'wrong', because: `It begins with another version than ${version}.` };
  if (kind === 'dmarc')
    return ['none', 'quarantine', 'reject'].includes((tags.get('p') ?? '').toLowerCase())
      ? { state: 'there' }
      : { state: 'wrong', because: 'It does not say p=none, p=quarantine or p=reject.' };
  if (tags.get('p') === '') return { state: 'wrong', because: 'The key was withdrawn: p= is empty.' };
  return tags.get('p') === tagsOf(value).get('p')
    ? { state: 'there' }
    : { state: 'wrong', because: 'Another key stands there; our signatures do not match it.' };
}
