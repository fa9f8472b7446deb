-- The document that somebody rehearsed last: found again after the mend that it led to.
alter table workbench add column last text;
