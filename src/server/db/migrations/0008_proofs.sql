-- Guided proofs: a test person logged on, off, and on again elsewhere, with what came of it.
create table proofs (id text primary key, pool text not null, person text not null, author text not null, at_ms bigint not null, ok boolean, sentence text, drained text);
create index proofs_pool on proofs (pool, at_ms desc);
