-- What goods an event moved stands in what subledgers keep (lines, and quiet_movement without one): rows beside it repeated
-- it (docs/decisions/0032).
drop table stock_movement;

-- Every event is about its own document. That name stands with the event; rows are only for others. Events of before have
-- rows for all.
alter table event_link rename to event_name;
alter index event_link_event rename to event_name_event;
alter index event_link_name rename to event_name_name;
alter table event add column party text collate "C", add column document text collate "C";
create index event_document on event (document);
create view event_link as
select entity_id, party, what, "name", event_id from event_name
union all
select entity_id, party, 'document', document, event_id from event;
grant select on event_link to assignum_app;

-- Next to nothing in these is there twice, and looking for doubles before a page is split is work.
alter index entry_line_entry set (deduplicate_items = off);
alter index entry_line_account set (deduplicate_items = off);
alter index entry_event set (deduplicate_items = off);
alter index entry_date set (deduplicate_items = off);
alter index goods_line_date set (deduplicate_items = off);

-- A few words that the program gives: compared byte by byte, as the rest of that index is.
drop view subledger_movement;
alter table entry_line alter column sub_document type text collate "C";
alter table quiet_movement alter column document type text collate "C";
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
