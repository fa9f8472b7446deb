-- What was changed in the draft and the records, change by change and row by row, so that each can be read and undone.
create table change (
  entity_id integer not null references entity,
  change_id bigint generated always as identity,
  at        timestamptz not null default now(),
  who       text not null,
  -- What was done, in words, and why, where a reason was given.
  what      text not null,
  reason    text,
  -- The draft whose rows it changed; null where it changed records only.
  draft     integer,
  rows      integer not null,
  -- The change that this one undoes, and the one that undid this one.
  undoes    bigint,
  undone_by bigint,
  primary key (entity_id, change_id),
  foreign key (entity_id, draft) references edition
);
create table change_row (
  entity_id integer not null,
  change_id bigint not null,
  row_no    integer not null,
  part      text not null,
  key       text collate "C" not null,
  -- Cells in the order of the part's columns; null where there was or is no row.
  before    text[],
  after     text[],
  primary key (entity_id, change_id, row_no)
);
create index change_row_key on change_row (entity_id, part, key);
grant select, insert, update (undone_by) on change to assignum_app;
grant select, insert on change_row to assignum_app;
