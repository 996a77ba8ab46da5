-- A company's own shares of red light stand beside its other limits.
alter table own_limit_set drop constraint own_limit_set_kind_check;
alter table own_limit_set add constraint own_limit_set_kind_check check (kind in ('end-face', 'loss', 'light'));
