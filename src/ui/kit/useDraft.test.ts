import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { historyReducer } from './useDraft';

const named = (name: string) => ({ ...cartLeftBehind, name });
const start = { past: [], present: cartLeftBehind, future: [], tag: '', at: 0 };

describe('undo', () => {
  it('typing in one field is one step back, another field another', () => {
    let history = historyReducer(start, { kind: 'edit', to: named('C'), tag: 'name', at: 1000 });
    history = historyReducer(history, { kind: 'edit', to: named('Ca'), tag: 'name', at: 1200 });
    history = historyReducer(history, { kind: 'edit', to: { ...named('Ca'), stay: null }, tag: 'stay', at: 1300 });
    expect(history.past).toHaveLength(2);
    history = historyReducer(history, { kind: 'undo' });
    expect(history.present.name).toBe('Ca');
    history = historyReducer(history, { kind: 'undo' });
    expect(history.present).toBe(cartLeftBehind);
    expect(historyReducer(history, { kind: 'undo' })).toBe(history);
    history = historyReducer(historyReducer(history, { kind: 'redo' }), { kind: 'redo' });
    expect(history.present.stay).toBeNull();
  });

  it('an edit after an undo forgets what was undone', () => {
    let history = historyReducer(start, { kind: 'edit', to: named('A'), tag: 'name', at: 0 });
    history = historyReducer(history, { kind: 'undo' });
    history = historyReducer(history, { kind: 'edit', to: named('B'), tag: 'name', at: 10 });
    expect(history.future).toEqual([]);
  });
});
