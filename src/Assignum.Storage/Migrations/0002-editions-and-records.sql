-- What an edition holds carries the editions it is valid in: from `since` on, up to but without `until`. A row that a
-- draft adds has no `since` yet and names its draft; a row that a draft removes stays as it is and is listed in
-- draft_removal. So opening a draft writes one row, a draft costs its changes only, and any number of drafts can stand
-- side by side. Publishing gives the draft's rows their `since` and the removed ones their `until`.

create table edition (
  entity_id    integer not null references entity,
  edition_id   integer not null,
  -- Null until published; then without gaps, in the order of valid_from.
  number       integer,
  status       text not null check (status in ('draft', 'published', 'discarded')),
  what_if      boolean not null default false,
  name         text,
  -- The number of the edition it was opened on; 0 before the first.
  based_on     integer not null,
  valid_from   date,
  note         text,
  -- Moves with every change of the draft: the second of two editors is told.
  revision     bigint not null default 1,
  opened_by    text not null,
  opened_at    timestamptz not null default now(),
  published_by text,
  published_at timestamptz,
  primary key (entity_id, edition_id),
  unique (entity_id, number),
  check ((status = 'published') = (number is not null and valid_from is not null))
);
create unique index edition_one_draft on edition (entity_id) where status = 'draft' and not what_if;

create table draft_removal (
  entity_id  integer not null,
  edition_id integer not null,
  part       text not null,
  row_id     bigint not null,
  primary key (entity_id, edition_id, part, row_id),
  foreign key (entity_id, edition_id) references edition
);

-- An account's identity and its records; posted lines keep account_id whatever its number becomes.
create table accounts (
  entity_id    integer not null references entity,
  account_id   bigint generated always as identity,
  "number"     text not null,
  name         text not null,
  parent       text,
  short_code   text,
  usual_side   text,
  capital      boolean,
  revalue      boolean,
  report_codes text,
  note         text,
  primary key (entity_id, account_id),
  unique (entity_id, "number")
);

-- What an edition holds of an account. A new account's row is valid in every edition (since 0).
create table account_terms (
  entity_id       integer not null,
  row_id          bigint generated always as identity,
  since           integer,
  until           integer,
  draft           integer,
  "number"        text not null,
  class           text not null,
  kind            text not null,
  status          text,
  currency        text,
  control         text,
  hand_entries    text,
  party_kinds     text,
  tripwire        boolean,
  family          text,
  tax_admits      text,
  tax_code        text,
  dimension_rules text,
  primary key (entity_id, row_id),
  foreign key (entity_id, "number") references accounts (entity_id, "number") on update cascade,
  foreign key (entity_id, draft) references edition,
  check ((since is null) <> (draft is null))
);
create index account_terms_number on account_terms (entity_id, "number");
create index account_terms_draft on account_terms (entity_id, draft) where draft is not null;

create table relief_accounts (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  account text not null, relief text not null, label text,
  primary key (entity_id, row_id),
  foreign key (entity_id, draft) references edition,
  foreign key (entity_id, account) references accounts (entity_id, "number") on update cascade,
  foreign key (entity_id, relief) references accounts (entity_id, "number") on update cascade,
  check ((since is null) <> (draft is null))
);
create table groups (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  kind text not null, code text not null, name text not null, parent text,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table tax_codes (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  code text not null, name text not null, direction text not null, category text not null, reverse_charge boolean,
  deductible numeric check (deductible between 0 and 1), base_box text, tax_box text, reverse_base_box text, reverse_tax_box text, authority text,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table tax_rates (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  code text not null, "from" date not null, rate numeric not null check (rate >= 0),
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table tax_matrix (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  standing text not null, category text not null, direction text not null, code text not null,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table policies (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  policy text not null, value text not null,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table ladders (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  purpose text not null, "position" integer not null, rung text not null,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table borrows (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  purpose text not null, "from" text not null,
  primary key (entity_id, row_id), foreign key (entity_id, draft) references edition, check ((since is null) <> (draft is null))
);
create table assignments (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  purpose text not null, account text not null,
  item text, item_group text, party text, party_group text, location text, channel text, method text, project text,
  project_group text, reason text, tax_code text, currency text, counterparty text, note text,
  primary key (entity_id, row_id),
  foreign key (entity_id, draft) references edition,
  foreign key (entity_id, account) references accounts (entity_id, "number") on update cascade,
  check ((since is null) <> (draft is null))
);
create index assignments_account on assignments (entity_id, account);
create table crosswalk (
  entity_id integer not null, row_id bigint generated always as identity, since integer, until integer, draft integer,
  account text not null, balance text not null, group_account text not null,
  primary key (entity_id, row_id),
  foreign key (entity_id, draft) references edition,
  foreign key (entity_id, account) references accounts (entity_id, "number") on update cascade,
  check ((since is null) <> (draft is null))
);

-- Records: changed at once; what they were is in record_history.
create table periods (entity_id integer not null references entity, "from" date not null, "to" date not null, status text not null, primary key (entity_id, "from", "to"));
create table number_bands (entity_id integer not null references entity, class text not null, "from" text not null, "to" text not null, primary key (entity_id, class, "from", "to"));
create table items (
  entity_id integer not null references entity, code text not null, name text not null, nature text not null, stocked boolean, "group" text,
  tax_category text, costing text, standard_cost numeric check (standard_cost >= 0), status text, primary key (entity_id, code)
);
create table parties (
  entity_id integer not null references entity, code text not null, name text not null, kind text not null, customer_group text, supplier_group text,
  tax_standing text, tax_number text, country text, currency text, status text, primary key (entity_id, code)
);
create table locations (entity_id integer not null references entity, code text not null, name text not null, primary key (entity_id, code));
create table channels (entity_id integer not null references entity, code text not null, name text not null, primary key (entity_id, code));
create table methods (entity_id integer not null references entity, code text not null, name text not null, primary key (entity_id, code));
create table reasons (entity_id integer not null references entity, code text not null, name text not null, primary key (entity_id, code));
create table projects (
  entity_id integer not null references entity, code text not null, name text not null, parent text, "group" text, customer text, recognise text,
  status text, primary key (entity_id, code)
);
create table dimension_values (entity_id integer not null references entity, dimension text not null, code text not null, name text not null, primary key (entity_id, dimension, code));
create table pairings (
  entity_id integer not null references entity, connection text not null, record text not null, theirs text not null, ours text, state text, note text,
  primary key (entity_id, connection, record, theirs)
);

create table record_history (
  entity_id  integer not null references entity,
  history_id bigint generated always as identity,
  part       text not null,
  key        text not null,
  at         timestamptz not null default now(),
  who        text not null,
  before     jsonb,
  after      jsonb,
  primary key (entity_id, history_id)
);
create index record_history_key on record_history (entity_id, part, key);
