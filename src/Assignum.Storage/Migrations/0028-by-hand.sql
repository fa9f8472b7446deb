-- Entries that are turned back, and entries that are written by hand from templates and from lists.

-- The kind whose lines an entry turns back, and as which its own count.
alter table entry add column counts_as text;
-- What was turned back and by what: once.
create table event_reversal (
  entity_id   integer not null,
  event_id    bigint not null,
  by_event_id bigint not null,
  primary key (entity_id, event_id)
);
create index event_reversal_by on event_reversal (entity_id, by_event_id);
grant select, insert on event_reversal to assignum_app;

create table entry_template (
  entity_id integer not null references entity,
  "name"    text not null,
  version   integer not null default 1,
  body      jsonb not null,
  -- Deleted ones are kept, so that they can be brought back.
  deleted   boolean not null default false,
  changed_by text not null,
  changed_at timestamptz not null default now(),
  primary key (entity_id, "name")
);
grant select, insert, update on entry_template to assignum_app;

-- Lists that openings are made of, one a kind and day, until they are posted and after.
create table opening_list (
  entity_id integer not null references entity,
  at        date not null,
  list      text not null,
  rows      jsonb not null,
  brought_by text not null,
  brought_at timestamptz not null default now(),
  primary key (entity_id, at, list)
);
grant select, insert, update, delete on opening_list to assignum_app;

-- What a project is expected to cost in all and what its contract is worth, in base currency.
create table project_estimate (
  entity_id integer not null references entity,
  project   text not null,
  estimated_cost numeric,
  contract_value numeric,
  complete  boolean not null default false,
  version   integer not null default 1,
  changed_by text not null,
  changed_at timestamptz not null default now(),
  primary key (entity_id, project)
);
grant select, insert, update on project_estimate to assignum_app;
