import * as z from 'zod';
import { stepId } from '../parts';
import type { StepKind } from './kind';

export interface EndStep {
  id: string;
  kind: 'end';
}
export const endSchema = z.strictObject({ id: stepId, kind: z.literal('end') });

export const endKind: StepKind<EndStep> = {
  runsWhilePaused: true,
  run: () => ({ to: 'end' }),
  fresh: (id) => ({ id, kind: 'end' }),
  says: () => 'End',
  saysNext: () => 'End',
};
