-- Subledgers kept by posting: every movement has the keys of its control, also where no line of an entry says it (goods
-- without value, open items that are allocated).
alter table subledger_movement drop constraint subledger_movement_pkey;
alter table subledger_movement alter column entry_id drop not null, alter column line_no drop not null,
  -- Goods whose account no assignment gives have none.
  alter column account_id drop not null, alter column account drop not null,
  add column purpose text, add column kind text, add column state text, add column order_ref text,
  add column quantity numeric not null default 0, add column due date, add column tax_code text,
  add column counterparty text, add column by_default boolean not null default false,
  add column posted_at timestamptz,
  -- What its document is called, where it was posted before documents without a reference had a name.
  add column document_key text,
  -- Whether the seal of its entry is taken over its keys too.
  add column keyed boolean not null default false;
create unique index subledger_movement_line on subledger_movement (entity_id, entry_id, line_no) where entry_id is not null;

update subledger_movement m set purpose = l.purpose, kind = n.kind, tax_code = l.tax_code, counterparty = l.counterparty,
  posted_at = n.posted_at, by_default = coalesce(p.rung = 'default', false),
  document_key = case when m.reference is null then coalesce(n.reference, v.source || '/' || v.external_id) end,
  state = case when m.control <> 'stock' then null when l.purpose = 'stock-in-transit' then 'in-transit'
    when l.purpose = 'shipped-not-invoiced' then 'shipped' else 'held' end
from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
left join landing_pattern p on p.entity_id = l.entity_id and p.pattern_id = l.pattern_id
join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
where (l.entity_id, l.entry_id, l.line_no) = (m.entity_id, m.entry_id, m.line_no);
alter table subledger_movement alter column posted_at set default now(), alter column posted_at set not null;
-- The subledger of its purpose, wherever it landed: so far only of documents of parties.
update subledger_movement m set document = c.control from (values
  ('stock', 'stock'), ('stock-in-transit', 'stock'), ('shipped-not-invoiced', 'stock'), ('received-not-invoiced', 'receipts'),
  ('production-wip', 'production'), ('project-wip', 'projects'), ('project-billings', 'projects'),
  ('accrued-revenue', 'projects'), ('output-tax', 'tax'), ('input-tax', 'tax'), ('bank', 'bank'), ('clearing', 'clearing'),
  ('customer-deposits', 'deposits'), ('supplier-deposits', 'deposits'), ('gift-cards', 'gift-cards'),
  ('due-from-entities', 'intercompany'), ('due-to-entities', 'intercompany')) c(purpose, control)
where m.document is null and m.purpose = c.purpose;
update subledger_movement set document = control where document is null and purpose is null and control <> 'none';
-- Goods as far as one line of an event is theirs; the rest of them is kept without a line. Both sides are counted first.
analyze stock_movement; analyze subledger_movement;
with one as (
  select s.entity_id, s.event_id, s.item, s.location, sum(s.quantity) as quantity, count(*) as n
  from stock_movement s group by 1, 2, 3, 4),
line as (
  select m.entity_id, m.event_id, m.entry_id, m.item, m.location, min(m.line_no) as line_no, count(*) as n
  from subledger_movement m where m.state = 'held' and m.entity_id = m.event_entity_id and m.entry_id is not null
  group by 1, 2, 3, 4, 5)
update subledger_movement m set quantity = one.quantity
from one join line on line.entity_id = one.entity_id and line.event_id = one.event_id and line.item = one.item
  and line.location is not distinct from one.location
where m.entity_id = line.entity_id and m.entry_id = line.entry_id and m.line_no = line.line_no;
insert into subledger_movement (entity_id, control, account_id, account, reference, item, location, settles, amount, currency,
  document, event_id, event_entity_id, date, purpose, kind, state, quantity, posted_at)
select s.entity_id, 'stock', null, null, coalesce(v.body::jsonb ->> 'reference', v.source || '/' || v.external_id), s.item,
  s.location, false, 0, e.currency, 'stock', s.event_id, s.entity_id, s.date, 'stock', v.kind, 'held', sum(s.quantity),
  v.received_at
from stock_movement s join event v on v.entity_id = s.entity_id and v.event_id = s.event_id
join entity e on e.entity_id = s.entity_id
where not exists (select from subledger_movement m where m.entity_id = s.entity_id and m.event_id = s.event_id
  and m.state = 'held' and m.item = s.item and m.location is not distinct from s.location)
group by s.entity_id, v.body, v.source, v.external_id, s.item, s.location, e.currency, s.event_id, s.date, v.kind, v.received_at
having sum(s.quantity) <> 0;
-- Lines of a subledger's purpose off its accounts that were no documents of parties.
insert into subledger_movement (entity_id, control, account_id, account, party, reference, item, location, project, channel,
  method, settles, amount, currency, currency_amount, rate, document, event_id, event_entity_id, date, purpose, kind, state,
  tax_code, counterparty, posted_at)
select l.entity_id, 'none', l.account_id, l.account, l.party, coalesce(n.reference, v.source || '/' || v.external_id), l.item,
  l.location, l.project, l.channel, l.method, false, l.debit - l.credit, n.currency, l.currency_debit - l.currency_credit,
  l.rate, c.control, n.event_id, n.event_entity_id, n.date, l.purpose, n.kind,
  case when c.control = 'stock' then 'held' end, l.tax_code, l.counterparty, n.posted_at
from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
join (values
  ('receivables', 'receivables'), ('payables', 'payables'),
  ('stock', 'stock'), ('stock-in-transit', 'stock'), ('shipped-not-invoiced', 'stock'), ('received-not-invoiced', 'receipts'),
  ('production-wip', 'production'), ('project-wip', 'projects'), ('project-billings', 'projects'),
  ('accrued-revenue', 'projects'), ('output-tax', 'tax'), ('input-tax', 'tax'), ('bank', 'bank'), ('clearing', 'clearing'),
  ('customer-deposits', 'deposits'), ('supplier-deposits', 'deposits'), ('gift-cards', 'gift-cards'),
  ('due-from-entities', 'intercompany'), ('due-to-entities', 'intercompany')) c(purpose, control) on c.purpose = l.purpose
where not exists (select from subledger_movement m where (m.entity_id, m.entry_id, m.line_no) = (l.entity_id, l.entry_id, l.line_no));

drop index subledger_movement_document;
create index subledger_movement_document on subledger_movement (entity_id, document, party, reference) where party is not null;
create index subledger_movement_elsewhere on subledger_movement (entity_id, document) where control <> document;
create index subledger_movement_account on subledger_movement (entity_id, account_id, date);
create index subledger_movement_item on subledger_movement (entity_id, purpose, coalesce(item, '')) where purpose in
  ('received-not-invoiced', 'shipped-not-invoiced');
create index subledger_movement_channel on subledger_movement (entity_id, coalesce(channel, '')) where purpose = 'gift-cards';
create index subledger_movement_event on subledger_movement (entity_id, event_id);

-- What an event is about, under every name by which another can be found: its documents and its orders.
create table event_link (
  entity_id integer not null,
  -- Whose documents and orders they are; empty: nobody's.
  party     text collate "C" not null,
  what      text collate "C" not null check (what in ('document', 'order')),
  "name"    text collate "C" not null,
  event_id  bigint not null,
  primary key (entity_id, party, what, "name", event_id)
);
create index event_link_event on event_link (entity_id, event_id);
grant select, insert on event_link to assignum_app;
insert into event_link
  select v.entity_id, coalesce(v.body::jsonb ->> 'party', ''), 'document',
    coalesce(v.body::jsonb ->> 'reference', v.source || '/' || v.external_id), v.event_id from event v
  union select v.entity_id, coalesce(v.body::jsonb ->> 'party', ''), 'document', s.s ->> 'reference', v.event_id
    from event v cross join lateral jsonb_path_query(v.body::jsonb, '$.settles[*]') s(s) where s.s ->> 'reference' is not null
  union select v.entity_id, coalesce(v.body::jsonb ->> 'party', ''), 'document', s.s ->> 'reference', v.event_id
    from event v cross join lateral jsonb_path_query(v.body::jsonb, '$.settlesPayables[*]') s(s)
    where s.s ->> 'reference' is not null;

create index entry_year_closed on entry (entity_id, date) where kind = 'year-closed';

-- Returns that were filed: what they said, and when, so that what changes their period later can be told.
create table tax_filing (
  entity_id integer not null references entity,
  "from"    date not null,
  "to"      date not null,
  boxes     jsonb not null,
  filed_by  text not null,
  filed_at  timestamptz not null default now(),
  primary key (entity_id, "from", "to")
);
-- Why a period was closed or opened, by whom and when; the newest is what holds.
create table period_act (
  entity_id integer not null references entity,
  act_id    bigint generated always as identity,
  "from"    date not null,
  "to"      date not null,
  status    text not null check (status in ('open', 'closed')),
  reason    text,
  -- What was in the way and was passed over.
  passed    jsonb not null default '[]',
  who       text not null,
  at        timestamptz not null default now(),
  primary key (entity_id, act_id)
);
grant select, insert on tax_filing, period_act to assignum_app;

-- Lists of the systems that own a subledger, as they stood on a day; a later one of the same system and day takes its place.
create table their_row (
  entity_id integer not null references entity,
  control   text not null,
  at        date not null,
  source    text not null,
  row_no    integer not null,
  party text, document text, item text, location text, project text, channel text, method text, order_ref text,
  quantity numeric, currency text, currency_amount numeric, amount numeric not null, date date,
  primary key (entity_id, control, at, source, row_no)
);
-- Each act of a sign-off; what holds is the newest of a control and month.
create table sign_off (
  entity_id integer not null references entity,
  act_id    bigint generated always as identity,
  control   text not null,
  month     date not null,
  state     text not null check (state in ('prepared', 'confirmed', 'open')),
  ledger    numeric not null,
  documents numeric not null,
  remains   jsonb not null,
  reason    text,
  who       text not null,
  at        timestamptz not null default now(),
  primary key (entity_id, act_id)
);
create table book_setting (
  entity_id integer primary key references entity,
  -- What may remain of a difference without being explained, in base currency.
  tolerance numeric not null default 0 check (tolerance >= 0)
);
grant select, insert, delete on their_row to assignum_app;
grant select, insert on sign_off to assignum_app;
grant select, insert, update on book_setting to assignum_app;
