-- Accounts of people who sign in through an identity provider.
alter table account add column issuer text;
alter table account add column subject text;
alter table account add column confirmed_at timestamptz;
create unique index account_of_provider on account (issuer, subject);
