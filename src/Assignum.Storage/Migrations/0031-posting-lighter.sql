-- What posting writes is found by fewer ways: what an index cost at every line was more than its readers saved
-- (measured in docs/performance.md).

-- Movements of an entry are found by the entry; only those of none are looked for by their event.
drop index subledger_movement_event;
create index subledger_movement_quiet on subledger_movement (entity_id, event_id) where entry_id is null;

-- Whose receipts and shipments are open is asked of one party and item.
drop index subledger_movement_item;
create index subledger_movement_item on subledger_movement (entity_id, purpose, coalesce(item, ''), party)
  where purpose in ('received-not-invoiced', 'shipped-not-invoiced');

-- A name leads to few events; whose it is is told by the row.
alter table event_link drop constraint event_link_pkey;
create index event_link_name on event_link ("name");

-- What belongs to events and entries is written before the books are held, beside the writing of the batch before. Where
-- somebody else posts in between, it is taken back; until then it must make nobody wait, so nothing of it is unique by
-- itself. Events and entries are, and one writer makes what belongs to them (a test looks for doubles and orphans).
alter table entry_line drop constraint entry_line_pkey;
create index entry_line_entry on entry_line (entity_id, entry_id, line_no);
alter table goods_line drop constraint goods_line_pkey;
alter table entry_tax drop constraint entry_tax_pkey;
create index entry_tax_entry on entry_tax (entity_id, entry_id, line_no);
alter table stock_movement drop constraint stock_movement_pkey;
create index stock_movement_event on stock_movement (entity_id, event_id, line_no);
drop index subledger_movement_line;
create index subledger_movement_line on subledger_movement (entity_id, entry_id, line_no) where entry_id is not null;

-- When something was posted is when the books were held for it; a movement was posted with its entry or event.
alter table subledger_movement drop column posted_at;
alter table event alter column received_at set default clock_timestamp();
alter table entry alter column posted_at set default clock_timestamp();

-- Sums grow again and again: room beside them spares their indexes.
alter table account_day set (fillfactor = 60);
alter table account_month set (fillfactor = 60);
alter table landed_month set (fillfactor = 60);
