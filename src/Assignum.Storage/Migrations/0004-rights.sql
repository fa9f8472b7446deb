-- The application's role. What is posted and what was audited can be added to and read, and by right not changed.
grant usage on schema public to assignum_app;
grant select, insert, update, delete on
  entity, app_user, user_role, api_key, data_protection_key, sign_in_failure,
  edition, draft_removal, accounts, account_terms, relief_accounts, groups, tax_codes, tax_rates, tax_matrix, policies, ladders, borrows,
  assignments, crosswalk, periods, number_bands, items, parties, locations, channels, methods, reasons, projects, dimension_values, pairings,
  account_day, posting, posting_year
to assignum_app;
grant select, insert on
  audit, record_history, event, entry, entry_line, entry_tax, trace, subledger_movement, stock_movement
to assignum_app;
grant select on schema_migration to assignum_app;
