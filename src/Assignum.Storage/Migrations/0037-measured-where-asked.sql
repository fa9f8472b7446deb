-- The server looks at every column of a table that has grown, to guess how many rows a question finds. Of columns that no
-- question finds rows by it guessed for nothing, and took longer for that than for the rest (docs/decisions/0032).
alter table entry_line
  alter account set statistics 0, alter debit set statistics 0, alter credit set statistics 0,
  alter currency_debit set statistics 0, alter currency_credit set statistics 0, alter rate set statistics 0,
  alter text set statistics 0, alter dimensions set statistics 0, alter item_chain set statistics 0,
  alter party_chain set statistics 0, alter project_chain set statistics 0, alter project_group_chain set statistics 0,
  alter landing_note set statistics 0, alter sub_currency set statistics 0, alter sub_amount set statistics 0,
  alter sub_quantity set statistics 0, alter sub_due set statistics 0, alter sub_default set statistics 0,
  alter sub_document_key set statistics 0, alter sub_keyed set statistics 0;
alter table entry
  alter number set statistics 0, alter currency set statistics 0, alter rate set statistics 0,
  alter reference set statistics 0, alter total set statistics 0, alter remarks set statistics 0,
  alter posted_by set statistics 0, alter seal set statistics 0;
alter table event
  alter body set statistics 0, alter outcome set statistics 0, alter edition set statistics 0,
  alter received_by set statistics 0;
alter table entry_tax
  alter base set statistics 0, alter rate set statistics 0, alter tax set statistics 0, alter decided_by set statistics 0,
  alter entity_base set statistics 0, alter entity_tax set statistics 0, alter non_deductible set statistics 0,
  alter base_box set statistics 0, alter tax_box set statistics 0, alter reverse_base_box set statistics 0,
  alter reverse_tax_box set statistics 0, alter capital set statistics 0, alter entity_reclaimed set statistics 0;
alter table goods_line
  alter named set statistics 0, alter quantity set statistics 0, alter amount set statistics 0,
  alter cost set statistics 0, alter cost_account_id set statistics 0, alter unit_price set statistics 0;
