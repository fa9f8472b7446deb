-- Files between their preview and their import, so that any process can apply what another showed. Kept for a day.
create table upload (
  entity_id integer not null references entity,
  upload_id uuid not null default gen_random_uuid(),
  name      text not null,
  content   bytea not null,
  who       text not null,
  at        timestamptz not null default now(),
  primary key (entity_id, upload_id)
);
grant select, insert, delete on upload to assignum_app;
