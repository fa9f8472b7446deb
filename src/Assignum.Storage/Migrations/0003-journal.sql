-- Events, entries, their lines and traces, and what they do to the subledgers: written once, never changed.
-- Lines, taxes and movements name their entry without a foreign key: one writer makes them in the same transaction and
-- nobody may change or delete them after it, while checking each row cost more than half of a posting (measured:
-- docs/performance.md; decision 0005). A test looks for orphans. Accounts are held by account_day.

create table event (
  entity_id    integer not null references entity,
  event_id     bigint not null,
  source       text not null,
  external_id  text not null,
  kind         text not null,
  date         date not null,
  -- The event as parsed JSON in one canonical spelling; equal text is the same event.
  body         text not null,
  outcome      text not null check (outcome in ('posted', 'nothing')),
  edition      integer not null,
  received_at  timestamptz not null default now(),
  received_by  text not null,
  primary key (entity_id, event_id),
  unique (entity_id, source, external_id)
);

create table entry (
  entity_id integer not null,
  entry_id  bigint not null,
  "number"  text not null,
  year      integer not null,
  sequence  integer not null,
  event_id  bigint not null,
  -- What this entry is of its event: the entry itself, its reversal, or another entity's side.
  role      text not null check (role in ('entry', 'reversal', 'mirror')),
  -- The charging entity, where this is the mirror of a charge.
  event_entity_id integer not null,
  date      date not null,
  edition   integer not null,
  kind      text not null,
  currency  text not null,
  rate      numeric not null,
  reference text,
  party     text,
  total     numeric not null,
  remarks   jsonb,
  posted_at timestamptz not null default now(),
  posted_by text not null,
  primary key (entity_id, entry_id),
  unique (entity_id, year, sequence),
  unique (entity_id, "number"),
  foreign key (event_entity_id, event_id) references event
);
create index entry_event on entry (entity_id, event_id);
create index entry_date on entry (entity_id, date, entry_id);

create table trace (
  entity_id integer not null references entity,
  -- The first half of the SHA-256 of the body: the same reasoning is stored once.
  trace_id  uuid not null,
  body      jsonb not null,
  primary key (entity_id, trace_id)
);

create table entry_line (
  entity_id       integer not null,
  entry_id        bigint not null,
  line_no         integer not null,
  account_id      bigint not null,
  -- The number as posted; account_id is the identity.
  account         text not null,
  debit           numeric not null check (debit >= 0),
  credit          numeric not null check (credit >= 0),
  currency_debit  numeric,
  currency_credit numeric,
  rate            numeric,
  purpose         text,
  party text, item text, location text, channel text, method text, project text, reason text, counterparty text,
  tax_code        text,
  text            text,
  dimensions      jsonb,
  event_line      integer,
  trace_id        uuid not null,
  primary key (entity_id, entry_id, line_no),
  check (debit = 0 or credit = 0)
);
create index entry_line_account on entry_line (entity_id, account_id, entry_id);

create table entry_tax (
  entity_id integer not null, entry_id bigint not null, line_no integer not null,
  code text not null, base numeric not null, rate numeric not null, tax numeric not null, decided_by text not null,
  entity_base numeric not null, entity_tax numeric not null, non_deductible numeric not null,
  base_box text, tax_box text, reverse_base_box text, reverse_tax_box text, tax_date date not null,
  primary key (entity_id, entry_id, line_no)
);
create index entry_tax_date on entry_tax (entity_id, tax_date);

-- What a line on a control account does to its subledger.
create table subledger_movement (
  entity_id integer not null, entry_id bigint not null, line_no integer not null,
  control text not null, account_id bigint not null, account text not null,
  party text, reference text, item text, location text, project text, channel text, method text,
  -- A settlement clears a document; anything else of a party makes one.
  settles boolean not null,
  amount numeric not null, currency text not null, currency_amount numeric, rate numeric,
  primary key (entity_id, entry_id, line_no)
);
create index subledger_movement_document on subledger_movement (entity_id, control, party, reference) where party is not null;

-- Goods that came or went, also where no entry was made of it.
create table stock_movement (
  entity_id integer not null, event_id bigint not null, line_no integer not null,
  item text not null, location text, quantity numeric not null, value numeric,
  primary key (entity_id, event_id, line_no)
);
create index stock_movement_item on stock_movement (entity_id, item, location);

-- Sums by account and day, kept up in the posting transaction: balances do not read a million lines.
create table account_day (
  entity_id integer not null, account_id bigint not null, date date not null,
  debit numeric not null, credit numeric not null,
  primary key (entity_id, account_id, date),
  foreign key (entity_id, account_id) references accounts
);

-- One row an entity: whoever holds it posts. Numbers have no gaps because it is held until commit.
create table posting (
  entity_id  integer primary key references entity,
  next_event bigint not null default 1,
  next_entry bigint not null default 1
);
create table posting_year (
  entity_id integer not null references entity,
  year      integer not null,
  next      integer not null default 1,
  primary key (entity_id, year)
);
