import { describe, expect, it } from 'vitest';
import { readAgent } from './agent';

describe('on what a message was opened', () => {
  it.each([
    ['Mozilla/5.0 (iPhone; CPU iPhone OS 17_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Mobile/15E148', 'phone'],
    ['Mozilla/5.0 (Linux; Android 14; SM-X200) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/120.0.0.0 Safari/537.36', 'tablet'],
    ['Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Thunderbird/128.2.0', 'computer'],
  ])('%s', (agent, device) => expect(readAgent(agent).device).toBe(device));

  it('tells nothing where a provider fetches the pictures, where it is a robot, or where nothing is said', () => {
    for (const agent of [
      'Mozilla/5.0 (Windows NT 5.1; rv:11.0) Gecko Firefox/11.0 (via ggpht.com ImageProxy)',
      'some-crawler/1.0 (+http://example.com/bot)',
      '',
      null,
    ])
      expect(readAgent(agent)).toEqual({});
    expect(readAgent(`${'x'.repeat(100_000)}`)).toEqual({});
  });
});
