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
