alter table sweeps drop column broken, drop column tight;
alter table cells drop column binned_at, drop column thumbnail;
