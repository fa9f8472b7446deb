-- Who may use the product, which entities there are, and what happened.
-- Run by the owner of the database; the application itself works as the role assignum_app, whose rights are granted here.

create table entity (
  entity_id         integer generated always as identity primary key,
  code              text not null unique check (code <> ''),
  name              text not null,
  currency          text not null,
  tax_registered    boolean not null default true,
  fiscal_year_start text,
  time_zone         text,
  -- Moves with every change of a record, so that every process knows when what it remembers is old.
  records_revision  bigint not null default 1,
  created_at        timestamptz not null default now()
);

create table app_user (
  user_id       integer generated always as identity primary key,
  sign_in       text not null unique check (sign_in = lower(sign_in)),
  name          text not null,
  password_hash text not null,
  active        boolean not null default true,
  -- Changes with the password, so that older sessions end.
  stamp         uuid not null default gen_random_uuid(),
  failures      integer not null default 0,
  locked_until  timestamptz,
  created_at    timestamptz not null default now()
);

create table user_role (
  user_id   integer not null references app_user,
  role      text not null check (role in ('viewer', 'preparer', 'reviewer', 'administrator')),
  -- Null: all entities, also those to come.
  entity_id integer references entity,
  unique nulls not distinct (user_id, role, entity_id)
);

create table api_key (
  key_id     integer generated always as identity primary key,
  name       text not null unique,
  -- SHA-256 of the key; keys are random and long, so a fast hash is enough.
  key_hash   bytea not null unique,
  role       text not null check (role in ('viewer', 'preparer', 'reviewer', 'administrator')),
  -- Null: all entities.
  entities   integer[],
  created_at timestamptz not null default now(),
  revoked_at timestamptz
);

create table data_protection_key (
  name text primary key,
  xml  text not null
);

-- Wrong passwords by address, for throttling.
create table sign_in_failure (
  address text not null,
  at      timestamptz not null default now()
);
create index sign_in_failure_address on sign_in_failure (address, at);

create table audit (
  audit_id  bigint generated always as identity primary key,
  entity_id integer references entity,
  at        timestamptz not null default now(),
  who       text not null,
  what      text not null,
  subject   text not null,
  before    jsonb,
  after     jsonb
);
create index audit_entity on audit (entity_id, audit_id desc);
