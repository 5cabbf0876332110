'use client';

import { Placeholder } from '@tiptap/extensions';
import { EditorContent, useEditor, type Editor } from '@tiptap/react';
import StarterKit from '@tiptap/starter-kit';
import { useEffect, useRef, type CSSProperties } from 'react';
import { docOf, markdownOf, type DocNode } from '@/core/letters';
import { ValueNode } from './ValueNode';

/** Where something is to be put in: at which place of the screen, and what is taken out for it. */
export interface Asking {
  readonly kind: 'part' | 'value';
  readonly at: { readonly left: number; readonly top: number };
  readonly editor: Editor;
  readonly from: number;
  readonly to: number;
}

/**
 * A text of a letter, written as it looks: bold, italic, links, lists, headings, and placeholders as chips. What is typed is handed on
 * as text with simple markup. A slash at the beginning of a line asks for a part, an opening brace for a value.
 */
export function RichText({
  value,
  label,
  placeholder = '',
  style,
  isNew = false,
  onChange,
  onFocus,
  onAsk,
  onLeave,
}: {
  value: string;
  label: string;
  placeholder?: string;
  style?: CSSProperties;
  /** has just been put in: it is written in at once */
  isNew?: boolean;
  onChange: (value: string) => void;
  onFocus: (editor: Editor) => void;
  onAsk: (asking: Asking) => void;
  /** backspace in a text that is empty takes its block out */
  onLeave?: () => void;
}) {
  const told = useRef(value);
  const given = useRef({ onChange, onFocus, onAsk, onLeave });
  given.current = { onChange, onFocus, onAsk, onLeave };
  const editor = useEditor({
    immediatelyRender: false,
    shouldRerenderOnTransaction: false,
    autofocus: isNew ? 'end' : false,
    extensions: [
      StarterKit.configure({
        undoRedo: false,
        code: false,
        codeBlock: false,
        horizontalRule: false,
        underline: false,
        trailingNode: false,
        heading: { levels: [1, 2, 3] },
        link: { openOnClick: false, autolink: false, protocols: ['http', 'https'], isAllowedUri: () => true },
      }),
      ValueNode,
      Placeholder.configure({ placeholder }),
    ],
    content: docOf(value) as object,
    editorProps: {
      attributes: { 'aria-label': label, role: 'textbox', 'aria-multiline': 'true', class: 'letter-text' },
      handleKeyDown: (view, event) => {
        if (event.key === 'Backspace' && view.state.doc.textContent === '' && view.state.doc.childCount === 1 && given.current.onLeave) {
          given.current.onLeave();
          return true;
        }
        return false;
      },
      handleTextInput: (view, from, to, text) => {
        if (text !== '/' && text !== '{') return false;
        const before = view.state.doc.resolve(from).parent.textBetween(0, view.state.doc.resolve(from).parentOffset, undefined, '\ufffc');
        if (text === '/' && before.trim() !== '') return false;
        const box = view.coordsAtPos(from);
        // what is typed stands there until something is chosen
        const own = editorOf.current;
        if (own)
          setTimeout(() =>
            given.current.onAsk({
              kind: text === '/' ? 'part' : 'value',
              at: { left: box.left, top: box.bottom + 4 },
              editor: own,
              from,
              to: to + 1,
            }),
          );
        return false;
      },
    },
    onUpdate: ({ editor: now }) => {
      const text = markdownOf(now.getJSON() as DocNode);
      told.current = text;
      given.current.onChange(text);
    },
    onFocus: ({ editor: now }) => given.current.onFocus(now),
  });
  const editorOf = useRef<Editor | null>(null);
  editorOf.current = editor;
  // what changes elsewhere (undo, another version) is shown; what was typed here stands there already
  useEffect(() => {
    if (!editor || value === told.current) return;
    told.current = value;
    editor.commands.setContent(docOf(value) as object, { emitUpdate: false });
  }, [editor, value]);
  return <EditorContent editor={editor} style={style} />;
}
