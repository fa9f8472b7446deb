-- What a line does to a subledger stands on the line itself: as a row of its own, which repeated most of the line, it was a
-- third of what posting cost the database (measured in docs/performance.md). What an event moves without a line keeps rows
-- of its own, and so does what an earlier version wrote otherwise than its line.
alter table entry_line alter column party type text collate "C",
  -- Null: the line does nothing to any subledger. The rest as the view below names it.
  add column sub_control text collate "C", add column sub_document text, add column sub_reference text collate "C",
  add column sub_settles boolean, add column sub_currency text, add column sub_amount numeric,
  add column sub_event bigint, add column sub_event_entity integer, add column sub_kind text, add column sub_state text,
  add column sub_order text, add column sub_quantity numeric, add column sub_due date, add column sub_default boolean,
  add column sub_document_key text, add column sub_keyed boolean not null default true;

update entry_line l set sub_control = m.control, sub_document = m.document, sub_reference = m.reference,
  sub_settles = m.settles, sub_currency = m.currency, sub_amount = m.currency_amount, sub_event = m.event_id,
  sub_event_entity = m.event_entity_id, sub_kind = m.kind, sub_state = m.state, sub_order = m.order_ref,
  sub_quantity = nullif(m.quantity, 0), sub_due = m.due, sub_default = nullif(m.by_default, false),
  sub_document_key = m.document_key, sub_keyed = m.keyed
from subledger_movement m
where m.entity_id = l.entity_id and m.entry_id = l.entry_id and m.line_no = l.line_no and m.amount = l.debit - l.credit
  and (m.account_id, m.account, m.party, m.item, m.location, m.project, m.channel, m.method, m.rate, m.date, m.purpose,
    m.tax_code, m.counterparty)
    is not distinct from (l.account_id, l.account, l.party, l.item, l.location, l.project, l.channel, l.method, l.rate,
    l.date, l.purpose, l.tax_code, l.counterparty);
delete from subledger_movement m using entry_line l
where l.entity_id = m.entity_id and l.entry_id = m.entry_id and l.line_no = m.line_no and l.sub_control is not null;

alter table subledger_movement rename to quiet_movement;
alter index subledger_movement_line rename to quiet_movement_line;
alter index subledger_movement_document rename to quiet_movement_document;
alter index subledger_movement_elsewhere rename to quiet_movement_elsewhere;
alter index subledger_movement_account rename to quiet_movement_account;
alter index subledger_movement_item rename to quiet_movement_item;
alter index subledger_movement_channel rename to quiet_movement_channel;
alter index subledger_movement_apart rename to quiet_movement_apart;
alter index subledger_movement_quiet rename to quiet_movement_event;

-- Accounts are read by days: rows of subledgers, cards, months that are not over.
drop index entry_line_account;
create index entry_line_account on entry_line (entity_id, account_id, date, entry_id);
create index entry_line_document on entry_line (entity_id, sub_document, party, sub_reference)
  where party is not null and sub_document is not null;
create index entry_line_elsewhere on entry_line (entity_id, sub_document) where sub_control <> sub_document;
create index entry_line_item on entry_line (entity_id, purpose, coalesce(item, ''), party)
  where purpose in ('received-not-invoiced', 'shipped-not-invoiced');
create index entry_line_channel on entry_line (entity_id, coalesce(channel, '')) where purpose = 'gift-cards';
create index entry_line_apart on entry_line (entity_id, account_id, date) where entry_id is null or sub_state = 'shipped';

-- Conditions with values reach the indexes of both parts; a join does not. Who looks for the movement of a line asks for it
-- beside the line (lateral, offset 0).
create view subledger_movement as
select l.entity_id, l.entry_id, l.line_no, l.sub_control as control, l.account_id, l.account, l.party,
  l.sub_reference as reference, l.item, l.location, l.project, l.channel, l.method, l.sub_settles as settles,
  l.debit - l.credit as amount, l.sub_currency as currency, l.sub_amount as currency_amount, l.rate,
  l.sub_document as document, l.sub_event as event_id, l.sub_event_entity as event_entity_id, l.date, l.purpose,
  l.sub_kind as kind, l.sub_state as state, l.sub_order as order_ref, coalesce(l.sub_quantity, 0) as quantity,
  l.sub_due as due, l.tax_code, l.counterparty, coalesce(l.sub_default, false) as by_default,
  l.sub_document_key as document_key, l.sub_keyed as keyed
from entry_line l where l.sub_control is not null
union all
select q.entity_id, q.entry_id, q.line_no, q.control, q.account_id, q.account, q.party, q.reference, q.item, q.location,
  q.project, q.channel, q.method, q.settles, q.amount, q.currency, q.currency_amount, q.rate, q.document, q.event_id,
  q.event_entity_id, q.date, q.purpose, q.kind, q.state, q.order_ref, q.quantity, q.due, q.tax_code, q.counterparty,
  q.by_default, q.document_key, q.keyed
from quiet_movement q;
grant select on subledger_movement to assignum_app;
