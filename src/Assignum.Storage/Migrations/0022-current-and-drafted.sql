-- Publishing turns a draft's rows into current ones and current ones into gone ones, and each row that moves is written
-- anew in every index that knows of it. An index of what is current and one of what is drafted say the same as the one of
-- both (one row a key in each), find rows by their key, and a gone row costs neither of them anything.
drop index assignments_key;
drop index assignments_draft;
create unique index assignments_current on assignments (entity_id, (
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
  || E'\x1f' || coalesce("counterparty"::text, ''))) where until is null and draft is null;
create unique index assignments_drafted on assignments (entity_id, draft, (
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
  || E'\x1f' || coalesce("counterparty"::text, ''))) where draft is not null;

-- That an assignment names an account that there is was asked for each row, and an index of accounts kept for it that
-- every moved row was written into. It is asked once for all rows of a statement.
alter table assignments drop constraint assignments_entity_id_account_fkey;
drop index assignments_account;
create function assignments_name_accounts() returns trigger language plpgsql as $$
declare unknown text;
begin
  select r.account into unknown from came r left join accounts a on a.entity_id = r.entity_id and a."number" = r.account
  where a.account_id is null limit 1;
  if found then
    raise foreign_key_violation using message = format('An assignment names the account %s, which there is not.', unknown),
      constraint = 'assignments_entity_id_account_fkey', table = 'assignments';
  end if;
  return null;
end $$;
create trigger assignments_name_accounts after insert on assignments referencing new table as came
  for each statement execute function assignments_name_accounts();
create function accounts_renumbered() returns trigger language plpgsql as $$
begin
  if exists (select from was w join came c using (account_id) where w."number" <> c."number") then
    update assignments t set account = c."number" from was w join came c using (account_id)
    where w."number" <> c."number" and t.entity_id = w.entity_id and t.account = w."number";
  end if;
  return null;
end $$;
create trigger accounts_renumbered after update on accounts referencing old table as was new table as came
  for each statement execute function accounts_renumbered();
create function accounts_still_named() returns trigger language plpgsql as $$
declare named text;
begin
  select w."number" into named from was w join assignments t on t.entity_id = w.entity_id and t.account = w."number"
  limit 1;
  if found then
    raise foreign_key_violation using message = format('An assignment names the account %s.', named),
      constraint = 'assignments_entity_id_account_fkey', table = 'assignments';
  end if;
  return null;
end $$;
create trigger accounts_still_named after delete on accounts referencing old table as was
  for each statement execute function accounts_still_named();
