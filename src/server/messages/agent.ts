import Bowser from 'bowser';

const DEVICES: { readonly [platform: string]: string } = { mobile: 'phone', tablet: 'tablet', desktop: 'computer' };

/** On what a message was opened, and with which program, as far as it says so: pictures that a mail provider fetches tell nothing. */
export function readAgent(agent: string | null): { device?: string; program?: string } {
  if (!agent || /proxy|bot|crawl|spider/i.test(agent)) return {};
  const { browser, platform } = Bowser.parse(agent.slice(0, 500));
  const device = platform.type && DEVICES[platform.type];
  return { ...(device && { device }), ...(browser.name && { program: browser.name }) };
}
