-- Numbers that an account bore before: how it is still found, and whose notes and history are its own.
create table account_number (
  entity_id  integer not null,
  account_id bigint not null,
  "number"   text not null,
  until      timestamptz not null default now(),
  who        text not null,
  foreign key (entity_id, account_id) references accounts on delete cascade
);
create index account_number_account on account_number (entity_id, account_id);
grant select, insert, delete on account_number to assignum_app;

-- How a foreign chart was read, by its header: the next file like it is read the same way.
create table chart_source (
  entity_id   integer not null references entity,
  fingerprint text not null,
  name        text not null,
  settings    jsonb not null,
  who         text not null,
  at          timestamptz not null default now(),
  primary key (entity_id, fingerprint)
);
grant select, insert, update, delete on chart_source to assignum_app;
