-- Who approved which state of a draft: a change of the draft moves its revision and so makes its approvals void.
create table approval (
  entity_id  integer not null,
  edition_id integer not null,
  revision   bigint not null,
  who        text not null,
  at         timestamptz not null default now(),
  primary key (entity_id, edition_id, revision, who),
  foreign key (entity_id, edition_id) references edition
);
grant select, insert on approval to assignum_app;
