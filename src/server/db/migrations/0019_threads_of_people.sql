-- Without an id, the observations of a person are told apart by what they say, not by host and session: some sources name neither (core/logons/correlate.ts).
update attempts set thread = 'p:' || person where thread like 'ph:%' and person is not null;
update attempts set thread = 'hs:' || lower(coalesce(host, '')) || '|' || coalesce(session, '') where thread like 'ph:%';
