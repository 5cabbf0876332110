import type { TestView } from '@/core/api';

/** What people did who count in a test, by its metric. */
export const TEST_METRICS: { readonly [metric in TestView['goes']]: string } = {
  goal: 'Goal',
  order: 'Ordered',
  opened: 'Opened',
  clicked: 'Clicked',
};
