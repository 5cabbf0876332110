'use client';

import type { Editor } from '@tiptap/react';
import { Bold, Heading2, Italic, Link2, List, ListOrdered } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { Floating } from './Floating';

/** What can be done to the words in hand. */
export function Formats({
  editor,
  onValue,
  onPart,
}: {
  editor: Editor | null;
  onValue: (at: { left: number; top: number }) => void;
  onPart: (at: { left: number; top: number }) => void;
}) {
  const [linking, setLinking] = useState<{ left: number; top: number; href: string } | null>(null);
  const isOff = !editor || editor.isDestroyed;
  const below = (element: Element) => {
    const { left, bottom } = element.getBoundingClientRect();
    return { left, top: bottom + 4 };
  };
  const tool = (name: string, icon: ReactNode, onClick: (editor: Editor, element: Element) => void) => (
    <button
      type="button"
      aria-label={name}
      title={name}
      disabled={isOff}
      onPointerDown={(event) => event.preventDefault()}
      onClick={(event) => onClick(editor!, event.currentTarget)}
      className="grid size-8 place-items-center rounded-md hover:bg-wash disabled:opacity-40"
    >
      {icon}
    </button>
  );
  return (
    <div role="toolbar" aria-label="The words in hand" className="flex items-center gap-0.5 border-b border-line bg-panel px-3 py-1">
      {tool('Bold', <Bold size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleBold().run())}
      {tool('Italic', <Italic size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleItalic().run())}
      {tool('Link', <Link2 size={16} aria-hidden="true" />, (own, element) =>
        setLinking({ ...below(element), href: String(own.getAttributes('link').href ?? '') }),
      )}
      {tool('List', <List size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleBulletList().run())}
      {tool('Numbered list', <ListOrdered size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleOrderedList().run())}
      {tool('Heading', <Heading2 size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleHeading({ level: 2 }).run())}
      <button
        type="button"
        disabled={isOff}
        onPointerDown={(event) => event.preventDefault()}
        onClick={(event) => onValue(below(event.currentTarget))}
        className="h-8 rounded-md px-2 hover:bg-wash disabled:opacity-40"
      >
        Value…
      </button>
      <button type="button" onClick={(event) => onPart(below(event.currentTarget))} className="h-8 rounded-md px-2 hover:bg-wash">
        Part…
      </button>
      <span className="ml-auto text-xs text-soft">/ puts a part in, {'{'} a value, Alt+↑↓ moves</span>
      {linking && editor && (
        <Floating at={linking} onClose={() => setLinking(null)}>
          <form
            className="flex w-[380px] gap-2 rounded-md border border-line bg-panel p-2"
            onSubmit={(event) => {
              event.preventDefault();
              const href = linking.href.trim();
              const chain = editor.chain().focus().extendMarkRange('link');
              if (!href) chain.unsetLink().run();
              else if (editor.state.selection.empty && !editor.isActive('link'))
                chain.insertContent({ type: 'text', text: href, marks: [{ type: 'link', attrs: { href } }] }).run();
              else chain.setLink({ href }).run();
              setLinking(null);
            }}
          >
            <input
              autoFocus
              aria-label="Where the link leads"
              value={linking.href}
              maxLength={2000}
              placeholder="https:// or a placeholder; empty takes it away"
              onChange={(event) => setLinking({ ...linking, href: event.target.value })}
              className="h-8 min-w-0 flex-1 rounded-md border border-line bg-panel px-2 font-mono text-xs"
            />
            <button type="submit" className="h-8 rounded-md bg-accent px-3 font-semibold text-on-accent">
              Done
            </button>
          </form>
        </Floating>
      )}
    </div>
  );
}
