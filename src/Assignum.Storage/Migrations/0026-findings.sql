-- What was decided about findings. Findings themselves are worked out and never stored; one is known by its code and place.
create table finding_accepted (
  entity_id integer not null references entity,
  identity  text not null,
  code      text not null,
  reason    text not null,
  until     date not null,
  who       text not null,
  at        timestamptz not null default now(),
  -- As it was: it returns when its account changes or it grows by more than a tenth.
  account   text,
  count     numeric not null,
  amount    numeric not null,
  primary key (entity_id, identity)
);
create table finding_given (
  entity_id integer not null references entity,
  identity  text not null,
  code      text not null,
  message   text not null,
  given_to  text not null,
  day       date,
  note      text,
  who       text not null,
  at        timestamptz not null default now(),
  primary key (entity_id, identity)
);
grant select, insert, update, delete on finding_accepted, finding_given to assignum_app;
