'use client';

import { ArrowDown, ArrowUp, Copy, Plus, X } from 'lucide-react';
import type { ReactNode } from 'react';
import { BLOCK_KINDS, freeBlockId, freshBlock, placeholderProblem, withoutFallback, type Block } from '@/core/messages';
import { areaClass, Button, Field, inputClass, Menu } from '../kit';

const KINDS: { readonly [kind in Block['kind']]: string } = {
  text: 'Text',
  heading: 'Heading',
  picture: 'Picture',
  button: 'Button',
  divider: 'Dividing line',
  cart: 'Items of the cart',
  offer: 'Offer line',
};

/** The blocks of a letter in their order: written, moved, doubled, taken out, and new ones put in after any of them. */
export function Blocks({ blocks, onChange }: { blocks: readonly Block[]; onChange: (blocks: Block[], field: string) => void }) {
  const put = (block: Block) =>
    onChange(
      blocks.map((one) => (one.id === block.id ? block : one)),
      `block-${block.id}`,
    );
  const add = (kind: Block['kind'], after: number) => {
    const block = freshBlock(kind, freeBlockId(blocks));
    onChange([...blocks.slice(0, after + 1), block, ...blocks.slice(after + 1)], `add-${block.id}`);
  };
  const move = (index: number, by: -1 | 1) => {
    const next = [...blocks];
    const [block] = next.splice(index, 1);
    next.splice(index + by, 0, block!);
    onChange(next, `move-${block!.id}`);
  };
  const double = (index: number) =>
    onChange([...blocks.slice(0, index + 1), { ...blocks[index]!, id: freeBlockId(blocks) }, ...blocks.slice(index + 1)], '');
  return (
    <div className="grid gap-3" role="group" aria-label="What the letter is made of">
      {blocks.map((block, index) => {
        const act = (label: string, icon: ReactNode, isOff: boolean, onClick: () => void) => (
          <button
            type="button"
            aria-label={`${label}: part ${index + 1}`}
            title={label}
            disabled={isOff}
            onClick={onClick}
            className="grid size-6 place-items-center rounded-md text-soft hover:bg-wash hover:text-ink disabled:opacity-40"
          >
            {icon}
          </button>
        );
        return (
          <div key={block.id} className="grid gap-1" data-block={block.kind}>
            <BlockFields block={block} put={put} />
            <div className="flex items-center justify-end">
              {act('Move up', <ArrowUp size={14} aria-hidden="true" />, index === 0, () => move(index, -1))}
              {act('Move down', <ArrowDown size={14} aria-hidden="true" />, index === blocks.length - 1, () => move(index, 1))}
              {act('Duplicate', <Copy size={14} aria-hidden="true" />, false, () => double(index))}
              {act('Remove', <X size={14} aria-hidden="true" />, false, () =>
                onChange(
                  blocks.filter((one) => one.id !== block.id),
                  '',
                ),
              )}
              <Menu groups={[BLOCK_KINDS.map((kind) => ({ name: KINDS[kind], onSelect: () => add(kind, index) }))]}>
                <button
                  type="button"
                  aria-label={`Add below: part ${index + 1}`}
                  title="Add below"
                  className="grid size-6 place-items-center rounded-md text-soft hover:bg-wash hover:text-ink"
                >
                  <Plus size={14} aria-hidden="true" />
                </button>
              </Menu>
            </div>
          </div>
        );
      })}
      {!blocks.length && (
        <Menu align="start" groups={[BLOCK_KINDS.map((kind) => ({ name: KINDS[kind], onSelect: () => add(kind, -1) }))]}>
          <Button className="justify-self-start">
            <Plus size={16} aria-hidden="true" /> Add to the letter
          </Button>
        </Menu>
      )}
    </div>
  );
}

function BlockFields({ block, put }: { block: Block; put: (block: Block) => void }) {
  switch (block.kind) {
    case 'cart':
      return (
        <p className="rounded-md border border-dashed border-line px-2 py-1.5 text-soft">
          The items of the cart, with pictures, quantities and prices
        </p>
      );
    case 'divider':
      return <p className="rounded-md border border-dashed border-line px-2 py-1.5 text-soft">A dividing line</p>;
    case 'button':
      return (
        <div className="grid grid-cols-2 gap-2">
          <Field label="Button" problem={placeholderProblem(block.label)}>
            <input
              value={block.label}
              maxLength={120}
              onChange={(event) => put({ ...block, label: event.target.value })}
              className={inputClass}
            />
          </Field>
          <Address label="leads to" value={block.url} onChange={(url) => put({ ...block, url })} />
        </div>
      );
    case 'picture': {
      const { link, ...plain } = block;
      return (
        <div className="grid gap-2">
          <Address label="Address of the picture" value={block.url} onChange={(url) => put({ ...block, url })} />
          <Field
            label="What it shows"
            hint="Read out, and shown where pictures are hidden"
            problem={placeholderProblem(block.alt) ?? (block.url.trim() && !block.alt.trim() ? 'Say it in a few words' : null)}
          >
            <input
              value={block.alt}
              maxLength={300}
              onChange={(event) => put({ ...block, alt: event.target.value })}
              className={inputClass}
            />
          </Field>
          <Address label="A click on it leads to" value={link ?? ''} onChange={(to) => put(to ? { ...plain, link: to } : plain)} />
        </div>
      );
    }
    case 'heading':
      return (
        <Field label="Heading" problem={placeholderProblem(block.text)}>
          <input
            value={block.text}
            maxLength={300}
            onChange={(event) => put({ ...block, text: event.target.value })}
            className={inputClass}
          />
        </Field>
      );
    case 'text':
    case 'offer': {
      const bare = withoutFallback(block.text);
      return (
        <Field
          label={block.kind === 'offer' ? 'Offer line' : 'Text'}
          problem={placeholderProblem(block.text)}
          hint={bare.length ? `${bare.join(', ')} has no fallback` : undefined}
        >
          <textarea
            rows={block.kind === 'offer' ? 3 : Math.min(9, 2 + block.text.split('\n').length + Math.floor(block.text.length / 60))}
            value={block.text}
            onChange={(event) => put({ ...block, text: event.target.value })}
            className={areaClass}
          />
        </Field>
      );
    }
  }
}

const Address = ({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) => (
  <Field label={label} problem={placeholderProblem(value)}>
    <input
      value={value}
      maxLength={2000}
      onChange={(event) => onChange(event.target.value)}
      className={`${inputClass} font-mono text-xs`}
    />
  </Field>
);
