-- The documents that somebody rehearses in order: kept for them until they take them away.
create table workbench (
  entity_id integer not null references entity,
  who       text not null,
  -- JSON of each document, in order; what it was before the last change, to go back to.
  documents text[] not null,
  before    text[] not null,
  revision  bigint not null default 1,
  primary key (entity_id, who)
);
grant select, insert, update, delete on workbench to assignum_app;
