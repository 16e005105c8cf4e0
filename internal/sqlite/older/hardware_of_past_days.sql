CREATE INDEX hardware_until ON hardware(until, device_id) WHERE until IS NOT NULL;
