package usage

import "ensomet/internal/core/civil"

// Pool is concurrent licences that a licence server hands out. Expires is their last day, 0 where they do not expire.
type Pool struct {
	Code, Server string
	Quantity     int64
	Expires      civil.Day
}
