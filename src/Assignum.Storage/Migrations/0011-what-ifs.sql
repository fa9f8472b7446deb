-- A what-if is a draft beside the draft, with a name of its own. One that was merged says into which draft: who edited it
-- edited that.
alter table edition add column merged_into integer;
create unique index edition_what_if_name on edition (entity_id, lower(name)) where status = 'draft' and what_if;
alter table edition add constraint edition_what_if_named check (not what_if or name is not null);
-- Differences say who made them and why: the changes of a draft are looked for by it.
create index change_draft on change (entity_id, draft) where draft is not null;
