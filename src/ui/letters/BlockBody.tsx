'use client';

import type { Editor } from '@tiptap/react';
import { FONTS, type Block } from '@/core/messages';
import { cartItems } from '@/core/letters';
import { RichText, type Asking } from './RichText';
import { KIND_WORDS, SOURCE_WORDS } from './words';
import { useDesk, useFeeds } from './useDesk';

interface Props {
  readonly block: Block;
  readonly onFocus: (editor: Editor) => void;
  readonly onAsk: (asking: Asking, block: string) => void;
}

/** A part of a letter as it is written: words are written where they stand, the rest shows what will stand there. */
export function BlockBody({ block, onFocus, onAsk }: Props) {
  const { brand, start, received, selected, put, act } = useDesk();
  const isNew = selected === block.id;
  const { colours: c } = brand;
  const align = 'align' in block && block.align ? block.align : start;
  switch (block.kind) {
    case 'text':
    case 'offer':
    case 'note': {
      const text = (
        <RichText
          value={block.text}
          label={KIND_WORDS[block.kind].name}
          placeholder={
            block.kind === 'text' ? 'Write here. Type / for anything else.' : block.kind === 'note' ? 'A few words of your own' : ''
          }
          style={{ textAlign: align }}
          isNew={isNew && block.text === ''}
          onChange={(next) => put({ ...block, text: next }, 'text')}
          onFocus={onFocus}
          onAsk={(asking) => onAsk(asking, block.id)}
          onLeave={() => act('remove', block.id)}
        />
      );
      if (block.kind === 'offer')
        return <div style={{ border: `1px dashed ${c.accent}`, color: c.accent, padding: '12px 16px' }}>{text}</div>;
      if (block.kind === 'note')
        return (
          <div>
            {text}
            <div className="mt-2 flex items-center gap-3">
              {/^https?:/.test(block.picture ?? '') && <img src={block.picture} alt="" width={48} height={48} className="rounded-full" />}
              <div className="min-w-0 flex-1">
                <Bare
                  label="Whose words they are"
                  value={block.name}
                  placeholder="Name"
                  onChange={(name) => put({ ...block, name }, 'name')}
                />
                <Bare
                  label="What they do"
                  value={block.role ?? ''}
                  placeholder="What they do"
                  style={{ color: c.soft }}
                  onChange={(role) => put({ ...block, role }, 'role')}
                />
              </div>
            </div>
          </div>
        );
      return text;
    }
    case 'heading': {
      const level = block.level ?? 2;
      return (
        <Bare
          label="Heading"
          isNew={isNew && block.text === ''}
          value={block.text}
          placeholder="Heading"
          style={{
            fontFamily: FONTS[brand.headings],
            fontSize: brand.size * [1.6, 1.3, 1.13][level - 1]!,
            fontWeight: 700,
            textAlign: align,
          }}
          onChange={(text) => put({ ...block, text }, 'text')}
        />
      );
    }
    case 'button':
      return (
        <div style={{ textAlign: align }}>
          <span
            style={{
              display: block.full ? 'block' : 'inline-block',
              background: c.accent,
              color: c.onAccent,
              borderRadius: brand.corner,
              padding: '10px 22px',
              fontWeight: 700,
              textAlign: 'center',
            }}
          >
            <Bare
              label="Words of the button"
              value={block.label}
              placeholder="Words"
              style={{
                textAlign: 'center',
                color: c.onAccent,
                fieldSizing: 'content',
                minWidth: '4ch',
                maxWidth: '100%',
                display: 'inline-block',
                width: 'auto',
              }}
              onChange={(label) => put({ ...block, label }, 'label')}
            />
          </span>
        </div>
      );
    case 'picture':
      return /^https?:\/\//.test(block.url) && !block.url.includes('{') ? (
        <div style={{ textAlign: align }}>
          {}
          <img
            src={block.url}
            alt={block.alt}
            style={{ width: `${block.width ?? 100}%`, borderRadius: brand.corner, display: 'inline-block' }}
          />
        </div>
      ) : (
        <Sketch title={block.url ? 'Picture whose address is filled in' : 'Picture'} says={block.url || 'Choose it in its settings'} />
      );
    case 'divider':
      return <hr style={{ borderColor: c.line, margin: '14px 0' }} />;
    case 'space':
      return (
        <div
          style={{ height: block.height }}
          className="grid place-items-center text-xs text-soft opacity-60"
          aria-label={`Space of ${block.height} px`}
        />
      );
    case 'cart':
    case 'order': {
      const items = cartItems((received?.event ?? {}) as never);
      return (
        <Sketch
          title={KIND_WORDS[block.kind].name}
          says={
            items.length
              ? items.map(({ name, quantity }) => `${quantity} × ${name}`).join(', ')
              : 'Nothing for the person chosen: it is left out'
          }
        />
      );
    }
    case 'products': {
      const found = received?.products[block.id];
      return (
        <Sketch
          title={`Up to ${block.most} products, ${SOURCE_WORDS[block.from.by]}`}
          says={
            found === undefined
              ? 'Looking…'
              : found.length
                ? found.map(({ name }) => name).join(', ')
                : 'Nothing is found for the person chosen: it is left out'
          }
        />
      );
    }
    case 'feed':
      return <FeedSketch feed={block.feed} most={block.most} />;
    case 'download':
      return (
        <div style={{ color: c.accent }} className="flex items-baseline gap-1">
          <span aria-hidden="true">↓</span>
          <Bare
            label="Words of the link"
            value={block.label}
            placeholder="What the file is"
            style={{ color: c.accent, textDecoration: 'underline' }}
            onChange={(label) => put({ ...block, label }, 'label')}
          />
        </div>
      );
    case 'rating':
      return (
        <div>
          <Bare
            label="Question"
            value={block.question}
            placeholder="Question"
            style={{ fontWeight: 700 }}
            onChange={(question) => put({ ...block, question }, 'question')}
          />
          <p style={{ color: c.accent }}>{block.scale === 'five' ? '★   ★★   ★★★   ★★★★   ★★★★★' : 'Not good   Good'}</p>
        </div>
      );
    case 'social':
      return (
        <p style={{ color: c.accent, textAlign: align }}>
          {brand.social.length ? (
            brand.social.map(({ name }) => name).join(' · ')
          ) : (
            <span className="text-soft">The brand has no links yet: it is left out</span>
          )}
        </p>
      );
    case 'html':
      return (
        <textarea
          aria-label="HTML"
          value={block.html}
          rows={Math.min(14, Math.max(4, block.html.split('\n').length + 1))}
          spellCheck={false}
          maxLength={20_000}
          placeholder="<p>HTML as it is. What mail programs do not run is taken out.</p>"
          onChange={(event) => put({ ...block, html: event.target.value }, 'html')}
          className="w-full rounded border border-dashed border-line bg-transparent p-2 font-mono text-xs"
        />
      );
    case 'columns':
      return null;
  }
}

/** A line that is written where it stands. */
function Bare({
  label,
  value,
  placeholder,
  style,
  isNew = false,
  onChange,
}: {
  label: string;
  value: string;
  placeholder: string;
  style?: React.CSSProperties;
  isNew?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <input
      aria-label={label}
      autoFocus={isNew}
      value={value}
      placeholder={placeholder}
      maxLength={300}
      onChange={(event) => onChange(event.target.value)}
      style={style}
      className="block w-full bg-transparent p-0 placeholder:opacity-60 focus:outline-none"
    />
  );
}

/** Stands for what is put there as the letter goes out. */
const Sketch = ({ title, says }: { title: string; says: string }) => (
  <div className="rounded border border-dashed border-[#8d8778] px-3 py-2 text-sm leading-5">
    <b>{title}</b>
    <div className="line-clamp-2 opacity-75" title={says}>
      {says}
    </div>
  </div>
);

function FeedSketch({ feed, most }: { feed: string; most: number }) {
  const { data } = useFeeds();
  const found = data?.feeds.find(({ key }) => key === feed);
  return (
    <Sketch
      title={found ? `The newest ${most} of ${found.name}` : 'Entries of a feed'}
      says={
        found
          ? found.entries.length
            ? found.entries
                .slice(0, most)
                .map(({ name }) => name)
                .join(', ')
            : (found.problem ?? 'It has no entries')
          : 'Choose which in its settings'
      }
    />
  );
}
