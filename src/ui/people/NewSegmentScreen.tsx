'use client';

import { useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import type { SegmentItem } from '@/core/api';
import { ruleSchema, type Rule } from '@/core/rules';
import { slugOf } from '@/core/text';
import { api, Page } from '../kit';
import { SegmentEditor } from './SegmentEditor';

/** A new segment, with the rule that it comes with, as from a filter of the table or from another segment. */
export function NewSegmentScreen({ rule, name }: { rule: string | null; name: string }) {
  const router = useRouter();
  const client = useQueryClient();
  return (
    <Page title="New segment" back={{ href: '/people/segments', name: 'All segments' }}>
      <SegmentEditor
        document={{ schema: 'viatic.segment/1', name: name.slice(0, 80), about: '', rule: readRule(rule), tags: [], owner: null }}
        act="Create"
        onCancel={() => router.back()}
        onSave={async (document) => {
          const { segments } = await api<{ segments: SegmentItem[] }>('/segments');
          const taken = new Set(segments.map((one) => one.key));
          const base = slugOf(document.name) || 'segment';
          let key = base;
          for (let n = 2; taken.has(key) || key === 'new'; n++) key = `${base}-${n}`;
          await api(`/segments/${key}`, { method: 'PUT', body: document });
          await client.invalidateQueries({ queryKey: ['segments'] });
          router.push(`/people/segments/${key}`);
        }}
      />
    </Page>
  );
}

function readRule(text: string | null): Rule {
  try {
    const read = ruleSchema.safeParse(JSON.parse(text ?? ''));
    if (read.success) return read.data;
  } catch {
    // an address that somebody has shortened: one begins with nothing
  }
  return { all: [] };
}
