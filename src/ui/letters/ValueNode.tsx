'use client';

import { InputRule, Node } from '@tiptap/core';
import { NodeViewWrapper, ReactNodeViewRenderer, type NodeViewProps } from '@tiptap/react';
import { clsx } from 'clsx';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { placeholderProblem } from '@/core/messages';
import { Button, Field, inputClass } from '../kit';
import { readValue, sayPath, writeValue } from './words';

/** A placeholder within a text: a chip with its name and what stands in for it, opened by a click to be changed. */
export const ValueNode = Node.create({
  name: 'value',
  group: 'inline',
  inline: true,
  atom: true,
  selectable: true,
  addAttributes: () => ({ raw: { default: '' } }),
  parseHTML: () => [{ tag: 'span[data-value]', getAttrs: (element) => ({ raw: element.getAttribute('data-value') ?? '' }) }],
  renderHTML: ({ node }) => ['span', { 'data-value': String(node.attrs.raw) }, String(node.attrs.raw)],
  renderText: ({ node }) => String(node.attrs.raw),
  // what is typed out becomes a chip as it is closed
  addInputRules() {
    return [
      new InputRule({
        find: /(\{\{[^{}\n]+\}\}|\{%[^{}\n]+%\})$/,
        handler: ({ state, range, match }) => {
          state.tr.replaceWith(range.from, range.to, this.type.create({ raw: match[1] }));
        },
      }),
    ];
  },
  addNodeView: () => ReactNodeViewRenderer(Chip, { as: 'span' }),
});

function Chip({ node, updateAttributes, deleteNode, selected }: NodeViewProps) {
  const raw = String(node.attrs.raw);
  const value = readValue(raw);
  const [isOpen, setOpen] = useState(false);
  const [written, setWritten] = useState(raw);
  const isBare = value !== null && value.path.startsWith('person.') && value.fallback === null;
  const put = (next: string) => {
    setWritten(next);
    if (!placeholderProblem(next) && /^\{[{%][\s\S]*[}%]\}$/.test(next.trim())) updateAttributes({ raw: next.trim() });
  };
  return (
    <NodeViewWrapper as="span">
      <Popover.Root
        open={isOpen}
        onOpenChange={(open) => {
          setOpen(open);
          if (open) setWritten(raw);
        }}
      >
        <Popover.Trigger asChild>
          <span
            role="button"
            tabIndex={0}
            data-raw={raw}
            title={isBare ? 'Nothing stands in for it where it is not known' : raw}
            className={clsx(
              'mx-px inline-block cursor-pointer whitespace-nowrap rounded border px-1 text-[0.85em] leading-[1.4]',
              isBare ? 'border-[#8a5a12] bg-[#fdf3df] text-[#8a5a12]' : 'border-[#3e5c76] bg-[#eaf0f5] text-[#2c4458]',
              selected && 'outline outline-2 outline-[var(--accent)]',
            )}
          >
            {value ? (
              <>
                {sayPath(value.path)}
                {value.fallback !== null && <span className="opacity-75"> or “{value.fallback}”</span>}
              </>
            ) : (
              <span className="font-mono">{raw.length > 42 ? `${raw.slice(0, 40)}…` : raw}</span>
            )}
          </span>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={4}
            className="z-[70] grid w-72 gap-3 rounded-md border border-line bg-panel p-3 text-base text-ink"
          >
            {value && (
              <Field label={`When ${sayPath(value.path)} is not known`} hint="Left empty, nothing stands there.">
                <input
                  value={readValue(written)?.fallback ?? ''}
                  maxLength={120}
                  onChange={(event) => put(writeValue(value.path, event.target.value))}
                  className={inputClass}
                />
              </Field>
            )}
            <Field label="As it is written" problem={placeholderProblem(written)}>
              <input
                value={written}
                maxLength={500}
                onChange={(event) => put(event.target.value)}
                className={`${inputClass} font-mono text-xs`}
              />
            </Field>
            <div className="flex justify-between">
              <Button onClick={() => deleteNode()}>Remove</Button>
              <Button kind="primary" onClick={() => setOpen(false)}>
                Done
              </Button>
            </div>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </NodeViewWrapper>
  );
}
