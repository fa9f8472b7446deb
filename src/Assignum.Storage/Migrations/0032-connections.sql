-- Systems that are joined, what they have and told, and what was decided about it.

-- Several accounts of ours may go to one of a ledger's, so what is ours belongs to the key.
alter table pairings drop constraint pairings_pkey;
create unique index pairings_key on pairings (entity_id, connection, record, theirs, coalesce(ours, ''));
create index pairings_ours on pairings (entity_id, connection, record, ours);

create table connection (
  entity_id      integer not null references entity,
  connection_id  integer generated always as identity,
  -- The source of its events: never used again, so rows stay.
  code           text not null,
  kind           text not null,
  "name"         text not null,
  address        text not null,
  currency       text not null,
  gap_minutes    integer not null default 10,
  patience_days  integer not null default 3,
  closed_period  text not null default 'refuse' check (closed_period in ('refuse', 'next-open')),
  state          text not null default 'draft' check (state in ('draft', 'joining', 'live', 'paused', 'closed')),
  -- Why it is paused, and what it goes back to.
  why            text,
  paused_from    text,
  admits         text[] not null default '{}',
  life           text,
  live_from      date,
  version        integer not null default 1,
  -- Encrypted with a key that is not in the database.
  key_hidden     text,
  hook_hidden    text,
  hook_before    text,
  hook_before_until timestamptz,
  refusals       integer not null default 0,
  contact_at     timestamptz,
  -- It asked to be left alone until then.
  quiet_until    timestamptz,
  trouble        text,
  made_by        text not null,
  made_at        timestamptz not null default now(),
  primary key (entity_id, connection_id),
  unique (entity_id, code)
);
grant select, insert, update on connection to assignum_app;

-- From where a list goes on, by what is listed.
create table link_cursor (
  entity_id integer not null, connection_id integer not null, of text not null, cursor text not null, at timestamptz not null default now(),
  primary key (entity_id, connection_id, of)
);
grant select, insert, update, delete on link_cursor to assignum_app;

create table link_record (
  entity_id     integer not null,
  connection_id integer not null,
  kind          text not null,
  id            text not null,
  "name"        text not null,
  status        text not null,
  merged_into   text,
  rate          numeric,
  -- As they gave it, but for what stands beside.
  body          jsonb not null,
  -- Names of fields that are none of the link's.
  unknown       text[] not null default '{}',
  -- As somebody looked at it last: when it came first, was paired, or a difference was accepted.
  known_name    text not null,
  known_status  text not null,
  known_merged  text,
  known_rate    numeric,
  -- The fetching that gave it last.
  round         bigint not null,
  at            timestamptz not null default now(),
  primary key (entity_id, connection_id, kind, id)
);
grant select, insert, update, delete on link_record to assignum_app;

create table link_proposal (
  entity_id     integer not null,
  connection_id integer not null,
  record        text not null,
  -- Theirs of a source; ours where entries go on: of it there is to be one pairing.
  subject       text not null,
  place         smallint not null,
  candidate     text not null,
  score         real not null,
  evidence      integer not null,
  trap          boolean not null,
  mutual        boolean not null,
  -- By how much it leads the next of its record.
  lead          real not null,
  -- Others of theirs are best the same one of ours.
  doubled       boolean not null,
  primary key (entity_id, connection_id, record, subject, place)
);
create index link_proposal_score on link_proposal (entity_id, connection_id, record, score desc) where place = 0;
grant select, insert, update, delete on link_proposal to assignum_app;

create table link_event (
  entity_id     integer not null,
  connection_id integer not null,
  row_id        bigint generated always as identity,
  id            text not null,
  sequence      bigint,
  kind          text not null,
  date          date,
  amount        numeric not null default 0,
  body          text not null,
  -- Channel, method and location that it names: what purposes are asked by.
  channel       text not null default '',
  method        text not null default '',
  location      text not null default '',
  state         text not null default 'received'
    check (state in ('received', 'waiting', 'posted', 'nothing', 'duplicate', 'dead', 'set-aside')),
  reasons       jsonb not null default '[]',
  -- Names of fields that are none of an event's: kept, counted, left out.
  unknown       text[] not null default '{}',
  -- Other content under an id that was known.
  again         boolean not null default false,
  "number"      text,
  received_at   timestamptz not null default now(),
  primary key (entity_id, connection_id, row_id)
);
create unique index link_event_id on link_event (entity_id, connection_id, id) where not again;
create index link_event_state on link_event (entity_id, connection_id, state, row_id);
grant select, insert, update on link_event to assignum_app;

-- What an event names in their codes and words: what it waits for is what of it is not settled.
create table link_event_name (
  entity_id     integer not null,
  connection_id integer not null,
  record        text not null,
  theirs        text not null,
  row_id        bigint not null,
  primary key (entity_id, connection_id, record, theirs, row_id)
);
create index link_event_name_row on link_event_name (entity_id, connection_id, row_id);
grant select, insert, delete on link_event_name to assignum_app;

create table link_word (
  entity_id integer not null, connection_id integer not null, field text not null, theirs text not null, ours text not null,
  who text not null, at timestamptz not null default now(),
  primary key (entity_id, connection_id, field, theirs)
);
grant select, insert, update, delete on link_word to assignum_app;

-- On what a purpose lands for a connection, as somebody saw and settled it.
create table link_purpose (
  entity_id integer not null, connection_id integer not null, purpose text not null, channel text not null, method text not null,
  location text not null, how text not null check (how in ('confirmed', 'account', 'default')), account text not null, rung text not null,
  reason text, who text not null, at timestamptz not null default now(),
  primary key (entity_id, connection_id, purpose, channel, method, location)
);
grant select, insert, update, delete on link_purpose to assignum_app;

-- Differences that somebody accepted, as they were said then.
create table link_accepted (
  entity_id integer not null, connection_id integer not null, record text not null, theirs text not null, said text not null, reason text not null,
  who text not null, at timestamptz not null default now(),
  primary key (entity_id, connection_id, record, theirs)
);
grant select, insert, update, delete on link_accepted to assignum_app;

-- Calls of ours that were taken: each once.
create table link_hook (
  entity_id integer not null, connection_id integer not null, signature text not null, at timestamptz not null default now(),
  primary key (entity_id, connection_id, signature)
);
grant select, insert, delete on link_hook to assignum_app;

-- What was asked and what came of it, for the board's strip; an hour's worth in one row.
create table link_hour (
  entity_id integer not null, connection_id integer not null, hour timestamptz not null, asked integer not null default 0,
  failed integer not null default 0, records integer not null default 0, events integer not null default 0,
  primary key (entity_id, connection_id, hour)
);
grant select, insert, update, delete on link_hour to assignum_app;

-- Their subledger lists as they told them last.
create table link_list (
  entity_id integer not null, connection_id integer not null, control text not null, at date not null, rows jsonb not null,
  fetched_at timestamptz not null default now(),
  primary key (entity_id, connection_id, control)
);
grant select, insert, update, delete on link_list to assignum_app;
