-- Bundles that were taken out, and the one that was last brought in whole: what a bundle that comes back is compared with.
create table taken (
  entity_id integer not null references entity,
  taken_id  bigint generated always as identity,
  brought   boolean not null,
  digest    text not null,
  who       text not null,
  at        timestamptz not null default now(),
  primary key (entity_id, taken_id),
  unique (entity_id, brought, digest)
);
create table taken_part (
  entity_id integer not null,
  taken_id  bigint not null,
  part      text not null,
  digest    text not null,
  rows      integer not null,
  -- The part's CSV, compressed.
  content   bytea not null,
  primary key (entity_id, taken_id, part),
  foreign key (entity_id, taken_id) references taken on delete cascade
);
grant select, insert, update, delete on taken, taken_part to assignum_app;
