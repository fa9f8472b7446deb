-- The reasoning of a landing in two halves: which rungs were tried and how each came out, the same for many lines, and
-- the values that were asked with, which the line has. Lines of before keep the traces they were stored with.
create table landing_pattern (
  entity_id  integer not null,
  pattern_id integer not null,
  purpose    text not null,
  rung       text,
  -- The purpose whose ladder decided in place of its own.
  borrowed   text,
  -- A trace as JSON with places in the line's values instead of the values.
  body       text not null,
  primary key (entity_id, pattern_id)
);
create unique index landing_pattern_body on landing_pattern (entity_id, md5(purpose || body));
-- A value of a nested dimension with all that it was in, outward.
create table landing_chain (
  entity_id integer not null,
  chain_id  integer not null,
  codes     text[] not null,
  primary key (entity_id, chain_id),
  unique (entity_id, codes)
);
grant select, insert on landing_pattern, landing_chain to assignum_app;

alter table entry_line alter column trace_id drop not null,
  add column pattern_id integer, add column item_chain integer, add column party_chain integer,
  add column project_chain integer, add column project_group_chain integer,
  -- Of the assignment that decided.
  add column landing_note text,
  add column date date;
update entry_line l set date = n.date from entry n where (n.entity_id, n.entry_id) = (l.entity_id, l.entry_id);
alter table entry_line alter column date set not null;

-- Effects name their event and day, and what they do.
alter table subledger_movement add column event_id bigint, add column event_entity_id integer, add column date date;
update subledger_movement m set event_id = n.event_id, event_entity_id = n.event_entity_id, date = n.date
from entry n where (n.entity_id, n.entry_id) = (m.entity_id, m.entry_id);
alter table subledger_movement alter column event_id set not null, alter column event_entity_id set not null,
  alter column date set not null;
alter table stock_movement add column date date;
update stock_movement m set date = v.date from event v where (v.entity_id, v.event_id) = (m.entity_id, m.event_id);
alter table stock_movement alter column date set not null;

-- Tax that is reclaimed, in base currency, as the ledger has it: kept by posting. What was posted before gets what its
-- boxes said.
alter table entry_tax add column entity_reclaimed numeric;
update entry_tax t set entity_reclaimed = t.entity_tax - case when t.tax = 0 then 0
  else round(t.entity_tax * t.non_deductible / t.tax, case
    when e.currency in ('BIF', 'CLP', 'DJF', 'GNF', 'ISK', 'JPY', 'KMF', 'KRW', 'PYG', 'RWF', 'UGX', 'UYI', 'VND', 'VUV', 'XAF', 'XOF', 'XPF') then 0
    when e.currency in ('BHD', 'IQD', 'JOD', 'KWD', 'LYD', 'OMR', 'TND') then 3
    when e.currency in ('CLF', 'UYW') then 4 else 2 end) end
from entity e where e.entity_id = t.entity_id;
alter table entry_tax alter column entity_reclaimed set not null;

-- The accounts that an event names, by identity: it never lands elsewhere because one got another number.
create table event_account (
  entity_id  integer not null,
  event_id   bigint not null,
  "number"   text not null,
  account_id bigint not null,
  primary key (entity_id, event_id, "number")
);
insert into event_account
  select distinct v.entity_id, v.event_id, n."number", coalesce(
    (select f.account_id from account_number f where f.entity_id = v.entity_id and f."number" = n."number" and f.until > v.received_at order by f.until limit 1),
    (select a.account_id from accounts a where a.entity_id = v.entity_id and a."number" = n."number"))
  from event v cross join lateral (
    select jsonb_path_query(v.body::jsonb, 'strict $.**.account')  #>> '{}' as "number"
    union select v.body::jsonb ->> 'payablesAccount' union select v.body::jsonb ->> 'receivablesAccount') n
  where n."number" is not null and v.body like '%ccount"%'
    and (exists (select from accounts a where a.entity_id = v.entity_id and a."number" = n."number")
      or exists (select from account_number f where f.entity_id = v.entity_id and f."number" = n."number" and f.until > v.received_at));
grant select, insert on event_account to assignum_app;
