-- What was last found to be changed in a machine's guest, what a landing changed, and whose word
-- lets a guest move that can't be judged.
alter table member add column refit_plan jsonb;
alter table member add column refit_made jsonb;
alter table member add column refit_word text not null default '';
