// Prints flows that anybody could have made, as JSON: so many of them, always the same for a seed.
import fc from 'fast-check';
import { anyFlow } from '../src/core/flows/testing/anyflow';

const [count, seed] = process.argv.slice(2).map(Number);
console.log(JSON.stringify(fc.sample(anyFlow, { numRuns: count!, seed: seed! })));
