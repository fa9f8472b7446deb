-- A record that is put into a group that an edition in force does not have yet. The record stays where it is in editions before, and is in
-- the group in those from `since` on; of a group that only a draft has, it waits with the draft. Few rows: most groups are in force.
create table membership (
  entity_id integer not null references entity,
  row_id    bigint generated always as identity,
  since     integer,
  draft     integer,
  part      text not null,
  key       text not null,
  "column"  text not null,
  "group"   text not null,
  primary key (entity_id, row_id),
  foreign key (entity_id, draft) references edition,
  check ((since is null) <> (draft is null)),
  unique nulls not distinct (entity_id, part, key, "column", since, draft)
);
grant select, insert, update, delete on membership to assignum_app;

-- The number that a withdrawn edition bore: no other gets it.
alter table edition add column former_number integer;
