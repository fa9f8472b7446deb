-- One index says that a key has one current row and one in each draft, and finds rows by their key: three did before,
-- and each cost as much as the row (docs/performance.md). Rows of before are told apart by their id.
drop index assignments_current;
drop index assignments_drafted;
drop index assignments_key;
create unique index assignments_key on assignments (entity_id, (
  coalesce("purpose"::text, '')
  || E'\x1f' || coalesce("item"::text, '')
  || E'\x1f' || coalesce("item_group"::text, '')
  || E'\x1f' || coalesce("party"::text, '')
  || E'\x1f' || coalesce("party_group"::text, '')
  || E'\x1f' || coalesce("location"::text, '')
  || E'\x1f' || coalesce("channel"::text, '')
  || E'\x1f' || coalesce("method"::text, '')
  || E'\x1f' || coalesce("project"::text, '')
  || E'\x1f' || coalesce("project_group"::text, '')
  || E'\x1f' || coalesce("reason"::text, '')
  || E'\x1f' || coalesce("tax_code"::text, '')
  || E'\x1f' || coalesce("currency"::text, '')
  || E'\x1f' || coalesce("counterparty"::text, '')), coalesce(draft, 0), (case when until is null then 0 else row_id end));
create index assignments_draft on assignments (entity_id, draft) where draft is not null;

-- Rows are written by whoever has entered and holds the entity, and entities are never deleted: asking for each of
-- many rows whether its entity is there was half of what bringing them in cost.
alter table items drop constraint items_entity_id_fkey;
alter table parties drop constraint parties_entity_id_fkey;
alter table projects drop constraint projects_entity_id_fkey;
alter table record_history drop constraint record_history_entity_id_fkey;
-- The same of the draft that rows and removals belong to: it is held, and gone only with them.
alter table assignments drop constraint assignments_entity_id_draft_fkey;
alter table draft_removal drop constraint draft_removal_entity_id_edition_id_fkey;
