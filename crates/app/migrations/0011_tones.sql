-- The tones that the swatches of a shot may have, in their order.
alter table shots add column tones jsonb not null
    default '[{"id": "shadow", "name": "Shadow"}, {"id": "light", "name": "Light"}]';
