-- The connection to a licence server is asked for whenever its pools are listed, among millions of other events.
CREATE INDEX pool_connection ON pool_event(pool_id, at) WHERE event IN ('lost', 'found');
