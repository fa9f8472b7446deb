-- What each posted row pays for. Measured in docs/performance.md, reasons in decision 0005.

-- One writer makes an event and its entries in one transaction and nobody may change them after it: these two keys were
-- checked row by row and could not fail. The orphan test looks at entries too.
alter table entry drop constraint entry_event_entity_id_event_id_fkey;
alter table event drop constraint event_entity_id_fkey;

-- A number is its year and sequence written out, so one unique index holds both.
alter table entry drop constraint entry_entity_id_number_key;
alter table entry add check ("number" = year || '-' || lpad(sequence::text, greatest(6, length(sequence::text)), '0'));

-- Codes are compared, never sorted for people: byte order is much cheaper than the locale's.
alter table event alter column source type text collate "C", alter column external_id type text collate "C";
alter table subledger_movement
  alter column control type text collate "C", alter column party type text collate "C", alter column reference type text collate "C";
alter table stock_movement alter column item type text collate "C", alter column location type text collate "C";

-- Balances: whole months come from their sums, only the days of the last month are added one by one. Days stand together
-- by date for that; the month keeps accounts with postings from being deleted.
create table account_month (
  entity_id integer not null, account_id bigint not null, month date not null,
  debit numeric not null, credit numeric not null,
  primary key (entity_id, month, account_id),
  foreign key (entity_id, account_id) references accounts
);
insert into account_month
  select entity_id, account_id, date_trunc('month', date)::date, sum(debit), sum(credit) from account_day group by 1, 2, 3;
alter table account_day drop constraint account_day_entity_id_account_id_fkey;
alter table account_day drop constraint account_day_pkey;
alter table account_day add primary key (entity_id, date, account_id);
grant select, insert, update, delete on account_month to assignum_app;
create index account_month_account on account_month (entity_id, account_id);
