import type { Test } from './tests';

/** What a test can name that has to be on file for it to mean anything. */
export type NamedKind = 'list' | 'segment' | 'flow' | 'topic' | 'country group' | 'offer' | 'table';

/** All that rules can name and that is on file: by kind and key, what it is called. */
export type OnFile = { readonly [kind in NamedKind]: ReadonlyMap<string, string> };

/** What a test names, by key, and the field in which it does; null where it names nothing. */
export function namedBy(test: Test): { readonly kind: NamedKind; readonly key: string; readonly field: string } | null {
  switch (test.test) {
    case 'list':
      return { kind: 'list', key: test.list, field: 'list' };
    case 'segment':
      return { kind: 'segment', key: test.segment, field: 'segment' };
    case 'flow':
      return { kind: 'flow', key: test.flow, field: 'flow' };
    case 'topic':
      return { kind: 'topic', key: test.topic, field: 'topic' };
    case 'country':
      return { kind: 'country group', key: test.group, field: 'group' };
    default:
      return null;
  }
}
