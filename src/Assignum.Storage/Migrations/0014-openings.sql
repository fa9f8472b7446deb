-- Balances that came with a chart: kept until an opening is made of them.
create table opening_amount (
  entity_id  integer not null,
  account_id bigint not null,
  -- Debit less credit, base currency.
  amount     numeric not null,
  file       text not null,
  -- The change that brought the chart in; it takes these along when it is undone.
  change_id  bigint,
  who        text not null,
  at         timestamptz not null default now(),
  primary key (entity_id, account_id),
  foreign key (entity_id, account_id) references accounts on delete cascade
);
grant select, insert, update, delete on opening_amount to assignum_app;
