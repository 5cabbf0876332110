import { expect, it } from 'vitest';
import { cardInput } from '.';

it('says what something is for, who looks after it and tags, each once', () => {
  const card = cardInput.parse({ about: ' For keepers ', owner: 'Ines Halm', tags: ['winter', ' winter ', 'shop'] });
  expect(card).toEqual({ about: 'For keepers', owner: 'Ines Halm', tags: ['winter', 'shop'] });
  expect(cardInput.parse({})).toEqual({ about: '', owner: '', tags: [] });
  for (const wrong of [
    { tags: [''] },
    { tags: Array.from({ length: 21 }, (_, n) => `t${n}`) },
    { about: 'x'.repeat(1001) },
    { color: 'red' },
  ])
    expect(cardInput.safeParse(wrong).success).toBe(false);
});
