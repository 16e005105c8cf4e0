-- +goose Up

-- Every device has the row that lists are served from, from its first moment on, so that a list may begin at either.
CREATE TABLE device_fact_new (
  device_id INTEGER PRIMARY KEY, last_seen INTEGER NOT NULL DEFAULT 0, age TEXT NOT NULL DEFAULT 'never', hardware_seen INTEGER NOT NULL DEFAULT 0, hardware_age TEXT NOT NULL DEFAULT 'never',
  use_seen INTEGER NOT NULL DEFAULT 0, use_age TEXT NOT NULL DEFAULT 'never', directory_seen INTEGER NOT NULL DEFAULT 0, directory_age TEXT NOT NULL DEFAULT 'never', installs INTEGER NOT NULL DEFAULT 0,
  unrecognised INTEGER NOT NULL DEFAULT 0, counted INTEGER NOT NULL DEFAULT 0, cases INTEGER NOT NULL DEFAULT 0, namesakes INTEGER NOT NULL DEFAULT 0, disagreements INTEGER NOT NULL DEFAULT 0
);
INSERT INTO device_fact_new(device_id, last_seen, age, hardware_seen, hardware_age, use_seen, use_age, directory_seen, directory_age, installs, unrecognised, counted, cases, namesakes, disagreements)
  SELECT device_id, last_seen, age, hardware_seen, hardware_age, use_seen, use_age, directory_seen, directory_age, installs, unrecognised, counted, cases, namesakes, disagreements FROM device_fact;
INSERT OR IGNORE INTO device_fact_new(device_id) SELECT id FROM device;
DROP TABLE device_fact;
ALTER TABLE device_fact_new RENAME TO device_fact;
-- +goose StatementBegin
CREATE TRIGGER device_listed AFTER INSERT ON device BEGIN
  INSERT OR IGNORE INTO device_fact(device_id) VALUES (new.id);
END;
-- +goose StatementEnd

-- Amounts of several currencies are put in order by what they are in euros at the newest rate.
ALTER TABLE worklist_case ADD COLUMN in_eur REAL NOT NULL DEFAULT 0;
ALTER TABLE saving ADD COLUMN in_eur REAL NOT NULL DEFAULT 0;
UPDATE worklist_case SET in_eur = CAST(amount AS REAL) / coalesce((SELECT CAST(r.per_eur AS REAL) FROM rate r WHERE r.currency = worklist_case.currency ORDER BY r.on_day DESC LIMIT 1), 1.0);
UPDATE saving SET in_eur = CAST(amount AS REAL) / coalesce((SELECT CAST(r.per_eur AS REAL) FROM rate r WHERE r.currency = saving.currency ORDER BY r.on_day DESC LIMIT 1), 1.0);

-- What lists of large tables are sorted and filtered by.
DROP INDEX name_fact_state;
DROP INDEX name_fact_gather;
CREATE INDEX name_fact_by_state ON name_fact(state, installs, key);
CREATE INDEX name_fact_by_publisher ON name_fact(publisher, key);
CREATE INDEX name_fact_by_name ON name_fact(name, key);
CREATE INDEX name_fact_by_versions ON name_fact(versions, key);
CREATE INDEX name_fact_by_records ON name_fact(records, key);
CREATE INDEX name_fact_by_installs ON name_fact(installs, key);
CREATE INDEX name_fact_by_devices ON name_fact(devices, key);
CREATE INDEX name_fact_by_stale ON name_fact(stale, key);
CREATE INDEX name_fact_by_gather ON name_fact(gather, key);
CREATE INDEX name_fact_by_likely ON name_fact(likely, key);
CREATE INDEX name_fact_by_score ON name_fact(score, key);
CREATE INDEX name_fact_by_money ON name_fact(money, key);
CREATE INDEX name_fact_by_findings ON name_fact(findings, key);
CREATE INDEX device_by_os ON device(trim(os_name || ' ' || os_version));
CREATE INDEX idle_fact_by_product ON idle_fact(product_id, device_id);
CREATE INDEX worklist_case_by_end ON worklist_case(state IN ('gone', 'lapsed', 'kept'));
CREATE INDEX device_by_name ON device(name);
CREATE INDEX device_by_kind ON device(kind);
CREATE INDEX device_by_environment ON device(environment);
CREATE INDEX device_by_org_unit ON device(org_unit);
CREATE INDEX device_by_site ON device(site);
CREATE INDEX device_by_primary_user ON device(primary_user);
CREATE INDEX device_by_country ON device(country);
CREATE INDEX device_by_hosting ON device(hosting);
CREATE INDEX device_by_cluster ON device(cluster);
CREATE INDEX device_by_status ON device(status);
CREATE INDEX device_fact_by_last_seen ON device_fact(last_seen);
CREATE INDEX device_fact_by_age ON device_fact(age);
CREATE INDEX device_fact_by_hardware_age ON device_fact(hardware_age);
CREATE INDEX device_fact_by_use_age ON device_fact(use_age);
CREATE INDEX device_fact_by_directory_age ON device_fact(directory_age);
CREATE INDEX device_fact_by_namesakes ON device_fact(namesakes);
CREATE INDEX device_fact_by_disagreements ON device_fact(disagreements);
CREATE INDEX device_fact_by_installs ON device_fact(installs);
CREATE INDEX device_fact_by_unrecognised ON device_fact(unrecognised);
CREATE INDEX device_fact_by_counted ON device_fact(counted);
CREATE INDEX device_fact_by_cases ON device_fact(cases);
CREATE INDEX idle_fact_by_person_code ON idle_fact(person_code);
CREATE INDEX idle_fact_by_class ON idle_fact(class);
CREATE INDEX idle_fact_by_used ON idle_fact(used);
CREATE INDEX idle_fact_by_measured ON idle_fact(measured);
CREATE INDEX idle_fact_by_last_use ON idle_fact(last_use);
CREATE INDEX worklist_case_by_kind ON worklist_case(kind);
CREATE INDEX worklist_case_by_person_id ON worklist_case(person_id);
CREATE INDEX worklist_case_by_quantity ON worklist_case(quantity);
CREATE INDEX worklist_case_by_answer ON worklist_case(answer);
CREATE INDEX worklist_case_by_answer_by ON worklist_case(answer_by);
CREATE INDEX worklist_case_by_keep_until ON worklist_case(keep_until);
CREATE INDEX worklist_case_by_owner ON worklist_case(owner);
CREATE INDEX worklist_case_by_worth ON worklist_case(worth);
CREATE INDEX worklist_case_by_currency ON worklist_case(currency);
CREATE INDEX worklist_case_by_money_on ON worklist_case(money_on);
CREATE INDEX worklist_case_by_opened_at ON worklist_case(opened_at);
CREATE INDEX worklist_case_by_changed_at ON worklist_case(changed_at);
CREATE INDEX worklist_case_by_came_back ON worklist_case(came_back);
CREATE INDEX worklist_case_by_in_eur ON worklist_case(in_eur);
CREATE INDEX saving_by_product_id ON saving(product_id);
CREATE INDEX saving_by_at ON saving(at);
CREATE INDEX saving_by_worth ON saving(worth);
CREATE INDEX saving_by_in_eur ON saving(in_eur);
CREATE INDEX saving_by_currency ON saving(currency);
CREATE INDEX saving_by_money_on ON saving(money_on);
CREATE INDEX saving_by_scan_at ON saving(scan_at);
CREATE INDEX change_log_by_at ON change_log(at);
CREATE INDEX change_log_by_kind ON change_log(kind);
CREATE INDEX change_log_by_record_id ON change_log(record_id);
CREATE INDEX assignment_by_entitlement_id ON assignment(entitlement_id);
CREATE INDEX assignment_by_from_day ON assignment(from_day);
CREATE INDEX assignment_by_until_day ON assignment(until_day);
CREATE INDEX scan_order_by_why ON scan_order(why);
CREATE INDEX scan_order_by_tries ON scan_order(tries);
CREATE INDEX scan_order_by_asked_at ON scan_order(asked_at);
CREATE INDEX scan_order_by_not_before ON scan_order(not_before);
CREATE INDEX scan_order_by_taken_at ON scan_order(taken_at);
CREATE INDEX scan_order_by_ended_at ON scan_order(ended_at);
CREATE INDEX scan_order_by_author ON scan_order(author);
CREATE INDEX delivery_by_token_id ON delivery(token_id);
CREATE INDEX delivery_by_received_at ON delivery(received_at);
CREATE INDEX delivery_by_scan_at ON delivery(scan_at);
CREATE INDEX delivery_by_bytes ON delivery(bytes);
CREATE INDEX delivery_by_outcome ON delivery(outcome);
CREATE INDEX set_aside_by_kind ON set_aside(kind);
CREATE INDEX set_aside_by_file ON set_aside(file);
CREATE INDEX set_aside_by_line ON set_aside(line);
CREATE INDEX set_aside_by_changed_at ON set_aside(changed_at);
CREATE INDEX set_aside_by_author ON set_aside(author);
CREATE INDEX person_move_by_person_id ON person_move(person_id);
CREATE INDEX person_move_by_on_day ON person_move(on_day);
CREATE INDEX person_move_by_what ON person_move(what);
CREATE INDEX person_move_by_from_value ON person_move(from_value);
CREATE INDEX person_move_by_to_value ON person_move(to_value);
DROP INDEX mail_question;
CREATE INDEX mail_by_question ON mail(question_id);
CREATE INDEX token_by_source ON token(source);
CREATE INDEX worklist_case_by_state ON worklist_case(state);
CREATE INDEX mail_by_address ON mail(address);
CREATE INDEX mail_by_queued_at ON mail(queued_at);
CREATE INDEX mail_by_sent_at ON mail(sent_at);
CREATE INDEX mail_by_tries ON mail(tries);
CREATE INDEX mail_by_after ON mail(after);
CREATE INDEX mail_by_due_at ON mail(due_at);
CREATE INDEX mail_by_given_up_at ON mail(given_up_at);
CREATE INDEX product_by_name ON product(name);
CREATE INDEX product_by_publisher ON product(publisher);
CREATE INDEX person_by_name ON person(name);
CREATE INDEX entitlement_by_edition ON entitlement(edition);

-- +goose Down
