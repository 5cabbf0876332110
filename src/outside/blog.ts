import { openJournal } from './journal';
import { escape, page, type Answer, type Asked } from './page';

interface Entry {
  readonly id: string;
  readonly title: string;
  readonly words: string;
  readonly at: string;
}

const DAY = 86_400_000;
/** What the shop's blog had written before anything was published in it. */
const FIRST: readonly (Omit<Entry, 'at'> & { readonly daysAgo: number })[] = [
  {
    id: 'cycling',
    title: 'Why a new tank stays empty for weeks',
    words: 'Bacteria come first, fish come after. What happens in the water while you wait.',
    daysAgo: 9,
  },
  {
    id: 'moss',
    title: 'Moss that stays where you put it',
    words: 'Thread, glue or a flat stone: three ways that hold, and one that looks as if it did.',
    daysAgo: 5,
  },
  { id: 'feeding', title: 'How much food is too much', words: 'Two minutes, once a day, and a day off in the week.', daysAgo: 2 },
];

/** The shop's blog: pages, a form that publishes, and its feed (Atom, RFC 4287). */
export function openBlog({ folder }: { readonly folder: string }): (asked: Asked) => Answer {
  const published = openJournal<Entry>(`${folder}/blog.ndjson`);
  const began = Date.now();
  const entries = (): Entry[] =>
    [...FIRST.map(({ daysAgo, ...one }) => ({ ...one, at: new Date(began - daysAgo * DAY).toISOString() })), ...published.entries].sort(
      (a, b) => b.at.localeCompare(a.at),
    );
  const feed = (origin: string): string => `<?xml version="1.0" encoding="utf-8"?>
<feed xmlns="http://www.w3.org/2005/Atom"><title>The Quillfin blog</title><id>${escape(`${origin}/outside/blog`)}</id>
<updated>${entries()[0]!.at}</updated>${entries()
    .map(
      (one) => `<entry><id>quillfin-blog:${escape(one.id)}</id><title>${escape(one.title)}</title><updated>${one.at}</updated>
<link rel="alternate" href="${escape(`${origin}/outside/blog/${one.id}`)}"/><summary>${escape(one.words)}</summary></entry>`,
    )
    .join('')}</feed>`;
  return (asked) => {
    const [, , , id = ''] = asked.path.split('/');
    const origin = asked.query.get('origin') ?? 'http://localhost';
    if (id === 'feed') return { status: 200, type: 'application/atom+xml; charset=utf-8', body: feed(origin) };
    if (asked.method === 'POST') {
      const [title, words] = [(asked.form.get('title') ?? '').trim().slice(0, 200), (asked.form.get('words') ?? '').trim().slice(0, 1000)];
      if (title) published.add({ id: `entry-${published.entries.length + 1}`, title, words, at: new Date().toISOString() });
      return { status: 303, location: '/outside/blog' };
    }
    const one = entries().find((entry) => entry.id === id);
    if (one)
      return {
        status: 200,
        body: page(one.title, `<h1>${escape(one.title)}</h1><p>${escape(one.words)}</p><p><a href="/outside/blog">The blog</a></p>`, 0),
      };
    const list = entries()
      .map((entry) => `<h2><a href="/outside/blog/${escape(entry.id)}">${escape(entry.title)}</a></h2><p>${escape(entry.words)}</p>`)
      .join('');
    const form = `<form class="checkout" method="post" action="/outside/blog"><label>Title <input name="title" required maxlength="200"></label>
<label>Words <input name="words" maxlength="1000"></label><button>Publish</button></form>`;
    return {
      status: id ? 404 : 200,
      body: page('Blog', `<h1>${id ? 'There is no such entry' : 'Blog'}</h1>${list}<h2>Write an entry</h2>${form}`, 0),
    };
  };
}
