import { expect, it } from 'vitest';
import { mayDo, ROLES, sayMayNot } from '.';

const who = (needs: Parameters<typeof mayDo>[1], method: string, path: string) => ROLES.filter((role) => mayDo(role, needs, method, path));

it('everybody reads, and has an account of their own; only owners say who works here', () => {
  expect(who('read', 'GET', '/people')).toEqual([...ROLES]);
  expect(who('read', 'POST', '/rules/count')).toEqual([...ROLES]);
  expect(who('self', 'PUT', '/account')).toEqual([...ROLES]);
  expect(who('owner', 'POST', '/team')).toEqual(['owner']);
});

it('writers write messages, analysts keep reports and views; neither changes people, flows or the store', () => {
  expect(who('write', 'PUT', '/messages/hello')).toEqual(['owner', 'editor', 'writer']);
  expect(who('write', 'POST', '/reports')).toEqual([...ROLES]);
  expect(who('write', 'DELETE', '/views/3')).toEqual([...ROLES]);
  expect(who('write', 'PUT', '/flows/hello')).toEqual(['owner', 'editor', 'writer']);
  expect(who('write', 'DELETE', '/flows/hello')).toEqual(['owner', 'editor']);
  for (const path of ['/flows/hello/publish', '/people/qf-1', '/bulk', '/revenue/settings', '/reportsx', '/clock'])
    expect(who('write', 'POST', path)).toEqual(['owner', 'editor']);
  expect(who('events', 'POST', '/events')).toEqual(['owner', 'editor']);
  expect(who('events', 'GET', '/checkout-box')).toEqual([...ROLES]);
  expect(sayMayNot('analyst')).toBe(
    'Your role is analyst, who reads everything, comments, keeps reports and views, and changes nothing else. Ask an owner of the store for another role.',
  );
});
