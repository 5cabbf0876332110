/** The sections that stand in the bar. */
export const SECTIONS: readonly { href: string; name: string; demoOnly?: boolean }[] = [
  { href: '/flows', name: 'Flows' },
  { href: '/people', name: 'People' },
  { href: '/revenue', name: 'Revenue' },
  { href: '/data', name: 'Data' },
  { href: '/outside', name: 'Outside', demoOnly: true },
];
