'use client';

import { EmojiPicker as Picker, type EmojiData } from 'frimousse';

/** The signs and their names, from a package that ships with the application; read when the picker is first opened. */
async function readSigns(): Promise<EmojiData> {
  const [{ default: signs }, { default: words }] = await Promise.all([
    import('emojibase-data/en/compact.json'),
    import('emojibase-data/en/messages.json'),
  ]);
  return {
    locale: 'en',
    // those without a group are letters of flags and parts of others
    emojis: signs.flatMap(({ unicode, group, label, tags }) =>
      group === undefined || group === 2 ? [] : [{ emoji: unicode, category: group, label, version: 1, tags: [...(tags ?? [])] }],
    ),
    categories: words.groups.flatMap(({ order, message }) => (order === 2 ? [] : [{ index: order, label: message }])),
    skinTones: { light: 'light', 'medium-light': 'medium light', medium: 'medium', 'medium-dark': 'medium dark', dark: 'dark' },
  };
}

/** Finds a sign by its name or among its kind; arrows walk, Enter takes it. */
export default function EmojiPicker({ onPick }: { onPick: (sign: string) => void }) {
  return (
    <Picker.Root
      locale="en"
      columns={9}
      resolveEmojiData={readSigns}
      onEmojiSelect={({ emoji }) => onPick(emoji)}
      className="flex h-[320px] w-[316px] flex-col rounded-md border border-line bg-panel"
    >
      <Picker.Search
        autoFocus
        aria-label="Search for a sign"
        placeholder="Fish, star, thank you…"
        className="m-2 h-8 rounded-md border border-line bg-panel px-2"
      />
      <Picker.Viewport className="min-h-0 flex-1 outline-none">
        <Picker.Loading className="block p-4 text-soft">Loading…</Picker.Loading>
        <Picker.Empty className="block p-4 text-soft">Nothing by this word</Picker.Empty>
        <Picker.List
          className="pb-2"
          components={{
            CategoryHeader: ({ category, ...props }) => (
              <div {...props} className="bg-panel px-3 py-1 text-xs font-semibold text-soft first-letter:uppercase">
                {category.label}
              </div>
            ),
            Row: ({ children, ...props }) => (
              <div {...props} className="px-2">
                {children}
              </div>
            ),
            Emoji: ({ emoji, ...props }) => (
              <button {...props} type="button" title={emoji.label} className="size-8 rounded text-lg data-[active]:bg-wash">
                {emoji.emoji}
              </button>
            ),
          }}
        />
      </Picker.Viewport>
    </Picker.Root>
  );
}
