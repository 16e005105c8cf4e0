package evidence

import "ensomet/internal/core/civil"

// PersonStatus says whether somebody still works here.
type PersonStatus string

// The states of a person.
const (
	Active PersonStatus = "active"
	Left   PersonStatus = "left"
)

// PersonStatuses are all states of a person.
var PersonStatuses = []PersonStatus{Active, Left}

// Person is a user: somebody who uses devices and holds licences. LeftOn is his last day, 0 where he has not left or
// nobody says when.
type Person struct {
	Code, Name, Email string
	OrgUnit, Site     string
	Status            PersonStatus
	LeftOn            civil.Day
}
