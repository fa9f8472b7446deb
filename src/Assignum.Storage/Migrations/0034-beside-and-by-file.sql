-- What was booked the old way while events are only rehearsed: lists by day, account and document.
create table link_booked (
  entity_id     integer not null,
  connection_id integer not null,
  row_id        bigint generated always as identity,
  day           date not null,
  account       text not null,
  reference     text not null,
  amount        numeric not null,
  primary key (entity_id, connection_id, row_id)
);
create index link_booked_day on link_booked (entity_id, connection_id, day);
grant select, insert, delete on link_booked to assignum_app;

-- A ledger that is reached by files: a numbered file a run, and what its people say became of it.
alter table connection
  add column sends_by text not null default 'interface' check (sends_by in ('interface', 'file')),
  -- A folder of this server from which files are taken.
  add column folder text;
create table link_run (
  entity_id     integer not null,
  connection_id integer not null,
  "number"      integer not null,
  journals      integer not null,
  amount        numeric not null,
  who           text not null,
  at            timestamptz not null default now(),
  confirmed_by  text,
  confirmed_at  timestamptz,
  primary key (entity_id, connection_id, "number")
);
grant select, insert, update on link_run to assignum_app;
-- As it stands in the file, whatever becomes of the journal later.
create table link_run_journal (
  entity_id     integer not null,
  connection_id integer not null,
  "number"      integer not null,
  journal_id    bigint not null,
  body          text not null,
  primary key (entity_id, connection_id, "number", journal_id)
);
grant select, insert on link_run_journal to assignum_app;

-- A record of theirs that was made from here: taken back, it is archived there.
alter table link_record add column made_here boolean not null default false;

-- Documents without which events were posted after patience was at its end.
create table link_unmatched (
  entity_id     integer not null,
  connection_id integer not null,
  row_id        bigint not null,
  party         text not null,
  "name"        text not null,
  -- The own event that applied the one to the other.
  allocated_by  text,
  primary key (entity_id, connection_id, row_id, party, "name")
);
grant select, insert, update on link_unmatched to assignum_app;

-- Dead events whose documents are not noted: few, among however many that are.
create index link_event_unnamed on link_event (entity_id, connection_id, row_id) where state = 'dead' and not named and not again;
