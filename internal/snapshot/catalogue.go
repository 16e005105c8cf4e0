package snapshot

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/catalogue"
)

func ReadBase(base sql.NullString, k *catalogue.Known) error {
	if !base.Valid {
		return nil
	}
	return json.Unmarshal([]byte(base.String), &k.Base)
}

func WriteBase(k *catalogue.Known) (any, error) {
	if k.Base == nil {
		return nil, nil
	}
	text, err := json.Marshal(k.Base)
	return string(text), err
}
