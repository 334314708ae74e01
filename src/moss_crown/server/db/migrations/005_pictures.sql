-- Pictures are brought in like fonts and emblems.
alter table asset drop constraint asset_kind_check;
alter table asset add constraint asset_kind_check check (kind in ('font', 'emblem', 'picture'));
