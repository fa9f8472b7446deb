-- What was changed is kept by the names of columns, so that a new column breaks neither undoing nor reading; changes say
-- which revisions they made, so that a process that knows an earlier one catches up.

create temporary table part_columns (part text primary key, columns text[]) on commit drop;
insert into part_columns values
  ('entity', '{code,name,currency,tax_registered,fiscal_year_start,time_zone}'),
  ('periods', '{from,to,status}'),
  ('number-bands', '{class,from,to}'),
  ('tax-codes', '{code,name,direction,category,reverse_charge,deductible,base_box,tax_box,reverse_base_box,reverse_tax_box,capital_base_box,capital_tax_box,authority}'),
  ('tax-rates', '{code,from,rate}'),
  ('tax-matrix', '{standing,category,direction,code}'),
  ('accounts', '{number,name,class,kind,parent,short_code,status,usual_side,currency,control,hand_entries,party_kinds,tripwire,family,tax_admits,tax_code,capital,revalue,report_codes,dimension_rules,note}'),
  ('relief-accounts', '{account,relief,label}'),
  ('groups', '{kind,code,name,parent}'),
  ('items', '{code,name,nature,stocked,group,tax_category,costing,standard_cost,status}'),
  ('parties', '{code,name,kind,customer_group,supplier_group,tax_standing,tax_number,country,currency,status}'),
  ('locations', '{code,name}'),
  ('channels', '{code,name}'),
  ('methods', '{code,name}'),
  ('reasons', '{code,name}'),
  ('projects', '{code,name,parent,group,customer,recognise,status}'),
  ('dimension-values', '{dimension,code,name}'),
  ('policies', '{policy,value}'),
  ('ladders', '{purpose,position,rung}'),
  ('borrows', '{purpose,from}'),
  ('assignments', '{purpose,account,item,item_group,party,party_group,location,channel,method,project,project_group,reason,tax_code,currency,counterparty,note}'),
  ('crosswalk', '{account,balance,group_account}'),
  ('pairings', '{connection,record,theirs,ours,state,note}');

alter table change_row add column old_row jsonb, add column new_row jsonb;
-- A row of before a column was there is shorter: it says nothing of that column.
update change_row r set
  old_row = case when r.before is not null then jsonb_object(p.columns[:cardinality(r.before)], r.before[:cardinality(p.columns)]) end,
  new_row = case when r.after is not null then jsonb_object(p.columns[:cardinality(r.after)], r.after[:cardinality(p.columns)]) end
from part_columns p where p.part = r.part;
alter table change_row drop column before, drop column after;
alter table change_row rename column old_row to before;
alter table change_row rename column new_row to after;

-- The revisions that stand after a change, of the records and of the draft; null where it moved them not. One that is
-- plain changed rows in place: whoever has the set-up before it can make the set-up after it of them.
alter table change add column records_revision bigint, add column draft_revision bigint,
  -- The draft whose revision was moved, also where the change is of records alone.
  add column moved integer, add column plain boolean not null default false;
create index change_records on change (entity_id, records_revision) where records_revision is not null;
create index change_draft_revision on change (entity_id, moved, draft_revision) where draft_revision is not null;

-- One current row a key, and one of each draft.
create unique index tax_codes_current on tax_codes (entity_id, "code") nulls not distinct
  where until is null and draft is null;
create unique index tax_codes_drafted on tax_codes (entity_id, draft, "code") nulls not distinct
  where draft is not null;
create unique index tax_rates_current on tax_rates (entity_id, "code", "from") nulls not distinct
  where until is null and draft is null;
create unique index tax_rates_drafted on tax_rates (entity_id, draft, "code", "from") nulls not distinct
  where draft is not null;
create unique index tax_matrix_current on tax_matrix (entity_id, "standing", "category", "direction") nulls not distinct
  where until is null and draft is null;
create unique index tax_matrix_drafted on tax_matrix (entity_id, draft, "standing", "category", "direction") nulls not distinct
  where draft is not null;
create unique index account_terms_current on account_terms (entity_id, "number") nulls not distinct
  where until is null and draft is null;
create unique index account_terms_drafted on account_terms (entity_id, draft, "number") nulls not distinct
  where draft is not null;
create unique index relief_accounts_current on relief_accounts (entity_id, "account", "relief") nulls not distinct
  where until is null and draft is null;
create unique index relief_accounts_drafted on relief_accounts (entity_id, draft, "account", "relief") nulls not distinct
  where draft is not null;
create unique index groups_current on groups (entity_id, "kind", "code") nulls not distinct
  where until is null and draft is null;
create unique index groups_drafted on groups (entity_id, draft, "kind", "code") nulls not distinct
  where draft is not null;
create unique index policies_current on policies (entity_id, "policy") nulls not distinct
  where until is null and draft is null;
create unique index policies_drafted on policies (entity_id, draft, "policy") nulls not distinct
  where draft is not null;
create unique index ladders_current on ladders (entity_id, "purpose", "position") nulls not distinct
  where until is null and draft is null;
create unique index ladders_drafted on ladders (entity_id, draft, "purpose", "position") nulls not distinct
  where draft is not null;
create unique index borrows_current on borrows (entity_id, "purpose") nulls not distinct
  where until is null and draft is null;
create unique index borrows_drafted on borrows (entity_id, draft, "purpose") nulls not distinct
  where draft is not null;
create unique index assignments_current on assignments (entity_id, "purpose", "item", "item_group", "party", "party_group", "location", "channel", "method", "project", "project_group", "reason", "tax_code", "currency", "counterparty") nulls not distinct
  where until is null and draft is null;
create unique index assignments_drafted on assignments (entity_id, draft, "purpose", "item", "item_group", "party", "party_group", "location", "channel", "method", "project", "project_group", "reason", "tax_code", "currency", "counterparty") nulls not distinct
  where draft is not null;
create unique index crosswalk_current on crosswalk (entity_id, "account", "balance") nulls not distinct
  where until is null and draft is null;
create unique index crosswalk_drafted on crosswalk (entity_id, draft, "account", "balance") nulls not distinct
  where draft is not null;

-- A change of an assignment finds its row by the key written out (PartTable.KeyExpression).
create index assignments_key on assignments (entity_id, (
  coalesce("purpose"::text, '')
  || E'\x1f' || coalesce("item"::text, '')
  || E'\x1f' || coalesce("item_group"::text, '')
  || E'\x1f' || coalesce("party"::text, '')
  || E'\x1f' || coalesce("party_group"::text, '')
  || E'\x1f' || coalesce("location"::text, '')
  || E'\x1f' || coalesce("channel"::text, '')
  || E'\x1f' || coalesce("method"::text, '')
  || E'\x1f' || coalesce("project"::text, '')
  || E'\x1f' || coalesce("project_group"::text, '')
  || E'\x1f' || coalesce("reason"::text, '')
  || E'\x1f' || coalesce("tax_code"::text, '')
  || E'\x1f' || coalesce("currency"::text, '')
  || E'\x1f' || coalesce("counterparty"::text, '')));

-- Which records anything posted refers to: kept by posting. Accounts have their months.
create table record_use (
  entity_id integer not null,
  part      text not null,
  key       text not null,
  primary key (entity_id, part, key)
);
insert into record_use
  select distinct entity_id, 'items', item from entry_line where item is not null
  union select entity_id, 'items', item from stock_movement
  union select entity_id, 'parties', party from entry_line where party is not null
  union select entity_id, 'locations', location from entry_line where location is not null
  union select entity_id, 'locations', location from stock_movement where location is not null
  union select entity_id, 'channels', channel from entry_line where channel is not null
  union select entity_id, 'methods', method from entry_line where method is not null
  union select entity_id, 'projects', project from entry_line where project is not null
  union select entity_id, 'reasons', reason from entry_line where reason is not null;
grant select, insert on record_use to assignum_app;
