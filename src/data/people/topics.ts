import type { Instant } from '@/core/time';
import { query, rowsOf, type Sql } from '../db';

const TOPICS = rowsOf({ key: 'text', name: 'text', about: 'text', position: 'int' });

export interface Topic {
  readonly key: string;
  readonly name: string;
  readonly about: string;
}

/** What marketing messages can be about, in the order in which people are asked. */
export async function readTopics(sql: Sql): Promise<Topic[]> {
  return query<Topic>(sql, 'select key, name, about from topics order by position, name');
}

/** Replaces the topics of the store. */
export async function saveTopics(sql: Sql, topics: readonly Topic[]): Promise<void> {
  await query(sql, 'delete from topics where not key = any(cast(:keys as text[]))', { keys: topics.map((topic) => topic.key) });
  await query(
    sql,
    `insert into topics (key, name, about, position) select key, name, about, position from ${TOPICS.sql} as r
     on conflict (key) do update set name = excluded.name, about = excluded.about, position = excluded.position`,
    { rows: TOPICS.of(topics.map((topic, position) => ({ ...topic, position }))) },
  );
}

export async function declinedTopics(sql: Sql, personId: string): Promise<string[]> {
  return (await query<{ topic: string }>(sql, 'select topic from declined_topics where person_id = :personId', { personId })).map(
    (row) => row.topic,
  );
}

/** Sets which topics a person does not want to read about. */
export async function saveDeclined(sql: Sql, personId: string, topics: readonly string[], at: Instant): Promise<void> {
  await query(sql, 'delete from declined_topics where person_id = :personId and not topic = any(cast(:topics as text[]))', {
    personId,
    topics,
  });
  await query(
    sql,
    'insert into declined_topics (person_id, topic, at) select :personId, topic, :at from unnest(cast(:topics as text[])) as topic on conflict do nothing',
    { personId, topics, at: new Date(at) },
  );
}
