-- What the contract says more exactly.

-- Lines on accounts of capital goods feed boxes of their own.
alter table tax_codes add column capital_base_box text, add column capital_tax_box text;
alter table entry_tax add column capital boolean not null default false;

-- An account that says nothing of hand entries refuses them where it is a control account and accepts them where it is none. What was
-- stored said 'refuse' of every account that had not said otherwise, and meant it on control accounts only.
update account_terms set hand_entries = null where hand_entries = 'refuse' and control is null;

-- What was changed before is compared with rows as they are now, cell by cell.
update change_row set before = case when before[11] = 'refuse' and before[10] is null then before[:10] || null::text || before[12:] else before end,
                      after = case when after[11] = 'refuse' and after[10] is null then after[:10] || null::text || after[12:] else after end
where part = 'accounts';
update change_row set before = case when before is not null then before[:10] || array[null, null]::text[] || before[11:] end,
                      after = case when after is not null then after[:10] || array[null, null]::text[] || after[11:] end
where part = 'tax-codes';

-- Which subledger's documents a movement opens or settles: by its purpose, wherever it landed; of a line by hand, by its account.
alter table subledger_movement add column document text;
update subledger_movement m set document = m.control from entry_line l
where m.control in ('receivables', 'payables') and (l.entity_id, l.entry_id, l.line_no) = (m.entity_id, m.entry_id, m.line_no) and (l.purpose is null or l.purpose = m.control);
-- A document that landed on an account of no subledger made no movement. What payments settled of such ones was never kept.
insert into subledger_movement (entity_id, entry_id, line_no, control, account_id, account, party, reference, item, location, project, channel, method, settles, amount, currency, currency_amount, rate, document)
select l.entity_id, l.entry_id, l.line_no, 'none', l.account_id, l.account, l.party, n.reference, l.item, l.location, l.project, l.channel, l.method, false,
       l.debit - l.credit, n.currency, l.currency_debit - l.currency_credit, l.rate, l.purpose
from entry_line l join entry n on (n.entity_id, n.entry_id) = (l.entity_id, l.entry_id)
where l.purpose in ('receivables', 'payables') and n.kind not in ('customer-payment', 'supplier-payment')
  and not exists (select from subledger_movement m where (m.entity_id, m.entry_id, m.line_no) = (l.entity_id, l.entry_id, l.line_no));
update subledger_movement m set document = l.purpose from entry_line l
where m.document is null and l.purpose in ('receivables', 'payables') and (l.entity_id, l.entry_id, l.line_no) = (m.entity_id, m.entry_id, m.line_no);
drop index subledger_movement_document;
create index subledger_movement_document on subledger_movement (entity_id, document, party, reference) where document is not null and party is not null;

-- Whether an account is of capital goods decides boxes: like all that decides, it waits in the draft of an account in use.
alter table account_terms add column capital boolean;
update account_terms t set capital = a.capital from accounts a where a.entity_id = t.entity_id and a."number" = t."number";
alter table accounts drop column capital;
