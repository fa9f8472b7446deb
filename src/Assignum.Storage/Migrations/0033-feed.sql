-- Events of connected systems on their way into the books, and entries on their way to a ledger.

alter table connection
  add column ask_at timestamptz not null default now(),
  add column failures integer not null default 0,
  -- Something happened here for which its events are to be tried again at once.
  add column wake boolean not null default false,
  -- Everything up to this number came or was given up.
  add column passed_sequence bigint not null default 0,
  -- What held here when its events were tried last.
  add column tried_under text not null default '',
  -- Of a ledger: how entries go on to it, and the last that was taken for it.
  add column sends text not null default 'entries' check (sends in ('entries', 'day-sums')),
  add column taken_entry bigint not null default 0,
  -- Its events are rehearsed from that day on, and compared with what is booked elsewhere.
  add column parallel_from date;

-- Who works on a connection: what a holder writes bears the number, so that one who is late writes nothing.
create table link_lease (
  entity_id     integer not null,
  connection_id integer not null,
  "number"      bigint not null default 0,
  holder        uuid,
  until         timestamptz not null default '-infinity',
  primary key (entity_id, connection_id)
);
grant select, insert, update on link_lease to assignum_app;

alter table link_event
  -- The first reason why it waits or is dead, and what of: events alike wait for the same.
  add column reason text,
  add column subject text,
  -- The event behind which it waits.
  add column held_by bigint,
  add column late boolean not null default false,
  -- Posted though a document that it names had not come.
  add column unmatched boolean not null default false,
  add column voids text,
  add column named boolean not null default false,
  add column replaced_by text,
  add column posted_at timestamptz,
  -- The state that its system was told last.
  add column told text;
create index link_event_waits on link_event (entity_id, connection_id, state, reason, subject) include (amount, row_id)
  where state in ('waiting', 'dead');
create index link_event_sequence on link_event (entity_id, connection_id, sequence) where sequence is not null;
create index link_event_received on link_event (entity_id, connection_id, sequence, row_id) where state = 'received';
create index link_event_held on link_event (entity_id, held_by) where held_by is not null;
create index link_event_voids on link_event (entity_id, connection_id, voids) where voids is not null;
create index link_event_untold on link_event (entity_id, connection_id, row_id) where told is distinct from state;
update link_event set reason = reasons -> 0 ->> 'code', subject = left(reasons -> 0 ->> 'message', 200)
  where state in ('waiting', 'dead');

-- What events that wait or are dead are about, in our codes; awaited: a document that one waits for.
create table link_held (
  entity_id integer not null,
  party     text collate "C" not null,
  what      text collate "C" not null check (what in ('document', 'order', 'awaited')),
  "name"    text collate "C" not null,
  connection_id integer not null,
  row_id    bigint not null,
  primary key (entity_id, party, what, "name", connection_id, row_id)
);
create index link_held_row on link_held (entity_id, connection_id, row_id);
grant select, insert, delete on link_held to assignum_app;

-- Numbers that were given up: what comes of them after all is late.
create table link_gap (
  entity_id integer not null, connection_id integer not null, "from" bigint not null, "to" bigint not null,
  given_up_at timestamptz not null default now(),
  primary key (entity_id, connection_id, "from")
);
grant select, insert, update, delete on link_gap to assignum_app;

-- What they counted of a day.
create table link_total (
  entity_id integer not null, connection_id integer not null, day date not null, said jsonb not null,
  at timestamptz not null default now(),
  primary key (entity_id, connection_id, day)
);
grant select, insert, update, delete on link_total to assignum_app;

-- Entries on their way to a ledger, or there.
create table link_journal (
  entity_id     integer not null,
  connection_id integer not null,
  journal_id    bigint generated always as identity,
  key           text not null,
  -- Of a sum of a day: its day, account and group; the entries in it are in link_journal_entry.
  date          date not null,
  "number"      text not null,
  entry_id      bigint,
  amount        numeric not null,
  state         text not null default 'received' check (state in ('received', 'waiting', 'sent', 'dead', 'set-aside')),
  reasons       jsonb not null default '[]',
  reason        text,
  subject       text,
  held_by       bigint,
  -- As it was sent the first time, and ever after.
  body          text,
  -- What it says whatever its key: by that a journal is known again that was sent before a restore.
  content       bytea,
  their_id      text,
  tries         integer not null default 0,
  tried_at      timestamptz,
  sent_at       timestamptz,
  primary key (entity_id, connection_id, journal_id),
  unique (entity_id, connection_id, key)
);
create index link_journal_open on link_journal (entity_id, connection_id, state, journal_id) where state in ('received', 'waiting', 'dead');
create index link_journal_entry_id on link_journal (entity_id, connection_id, entry_id);
create index link_journal_date on link_journal (entity_id, connection_id, date);
grant select, insert, update on link_journal to assignum_app;
create table link_journal_entry (
  entity_id integer not null, connection_id integer not null, journal_id bigint not null, entry_id bigint not null,
  primary key (entity_id, connection_id, journal_id, entry_id)
);
create index link_journal_entry_of on link_journal_entry (entity_id, connection_id, entry_id);
grant select, insert, delete on link_journal_entry to assignum_app;

-- Journals that are there and were not sent by what we know: made by hand, or sent before a restore.
create table link_foreign (
  entity_id integer not null, connection_id integer not null, id text not null, key text, origin text not null, state text not null,
  date date not null, "number" text not null, text text not null, body jsonb not null, content bytea,
  -- The journal of ours that it is, once that is known.
  adopted_by bigint,
  at timestamptz not null default now(),
  primary key (entity_id, connection_id, id)
);
create index link_foreign_content on link_foreign (entity_id, connection_id, content) where adopted_by is null;
grant select, insert, update, delete on link_foreign to assignum_app;

-- What a ledger says that its accounts have on a day.
create table link_balance (
  entity_id integer not null, connection_id integer not null, "at" date not null, account text not null, balance numeric not null,
  fetched_at timestamptz not null default now(),
  primary key (entity_id, connection_id, at, account)
);
grant select, insert, update, delete on link_balance to assignum_app;

-- Which installation wrote this database: a copy of it is another.
create table installation (one boolean primary key default true check (one), id uuid not null, at timestamptz not null default now());
grant select, insert, update on installation to assignum_app;

-- Files of documents: each is taken once by its content.
alter table connection add column csv_columns text[];
create table link_file (
  entity_id integer not null, connection_id integer not null, file_id bigint generated always as identity, "name" text not null,
  content bytea not null, documents integer not null default 0, fresh integer not null default 0, who text not null,
  at timestamptz not null default now(),
  primary key (entity_id, connection_id, file_id),
  unique (entity_id, connection_id, content)
);
grant select, insert, update on link_file to assignum_app;
