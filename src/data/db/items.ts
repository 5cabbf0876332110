/** The items that an event `e` names, one by one, as a part of a statement; none where it has no list of them. */
export const ITEMS_OF_EVENT = `jsonb_array_elements(case when jsonb_typeof(e.properties -> 'items') = 'array' then e.properties -> 'items' else '[]' end)`;
