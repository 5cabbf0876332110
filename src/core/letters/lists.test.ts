import { describe, expect, it } from 'vitest';
import { plainBrand } from '../messages';
import { listHtml, type Layout } from './lists';
import { darkStyle, lookOf } from './look';
import { tongueOf } from '../tongue';

const brand = plainBrand('Quillfin');
const item = {
  name: 'Fin light',
  image: null,
  url: 'https://shop.example/fin',
  price: { currency: 'EUR', minor: 3900 },
  was: null,
  words: null,
};

describe('a list in a letter', () => {
  it.each<Layout>(['cards', 'large', 'table'])('keeps the names of its products readable at night: %s', (layout) => {
    const html = listHtml([item], layout, lookOf(brand), { words: tongueOf('en').letter, locale: 'en-IE' }, (url) => url);
    // an ink of the day that stands in a link itself must be one that the night has a rule for
    const links = [...html.matchAll(/<a [^>]*style="color:[^>]*>/g)].map(([link]) => link);
    expect(links).toHaveLength(1);
    expect(links[0]).toContain('class="v-name"');
    expect(darkStyle(brand)).toContain(`.v-ink a.v-name { color:${brand.dark.ink} !important; }`);
  });
});
