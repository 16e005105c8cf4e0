-- +goose Up

-- What was marked as bought before anything could name a purchase stays bought: nothing will ever name it. Of what 0016
-- made into cases these are the ones that ended at once, without an act.
UPDATE worklist_case SET sent_at = -1 WHERE kind = 'purchase' AND state = 'gone' AND sent_at = 0 AND EXISTS (
  SELECT 1 FROM case_step s WHERE s.case_id = worklist_case.id AND s.from_state = 'open' AND s.to_state = 'gone'
    AND s.act = '' AND s.note = '' AND s.at = worklist_case.changed_at);

-- +goose Down
