-- Work that outlives the request that asked for it and the process that does it.
create table work (
  work_id     bigint generated always as identity primary key,
  entity_id   integer not null references entity,
  kind        text not null,
  -- What it is about, for people: a file's name.
  subject     text not null,
  who         text not null,
  -- What it works on, as its kind reads it; files apart.
  input       jsonb not null,
  file        bytea,
  status      text not null default 'waiting' check (status in ('waiting', 'running', 'done', 'failed', 'cancelled')),
  -- Steps done, of how many; null: not known.
  done        integer not null default 0,
  steps       integer,
  says        text,
  result      jsonb,
  attempts    integer not null default 0,
  -- When it may be tried next.
  due         timestamptz not null default now(),
  -- Who does it, until when nobody else may.
  holder      uuid,
  lease       timestamptz,
  cancel      boolean not null default false,
  at          timestamptz not null default now(),
  started_at  timestamptz,
  finished_at timestamptz
);
create index work_due on work (due) where status in ('waiting', 'running');
create index work_entity on work (entity_id, work_id desc);
grant select, insert, update on work to assignum_app;
grant usage, select on sequence work_work_id_seq to assignum_app;
