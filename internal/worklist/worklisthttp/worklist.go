package worklisthttp

import (
	"encoding/json"
	"errors"
	"net/http"

	"ensomet/internal/core/access"
	"ensomet/internal/rest"
	"ensomet/internal/worklist"

	"github.com/danielgtaylor/huma/v2"
)

// takeOutcome takes what the deployment tool says of an order. Only a token of a source named deployment may.
func (s *routes) takeOutcome(w http.ResponseWriter, r *http.Request, from access.Sender) {
	if from.Source != "deployment" {
		rest.Problem(
			w,
			huma.Error403Forbidden("Only a token of the source “deployment” may say what became of orders."),
		)
		return
	}
	var o Outcome
	var large *http.MaxBytesError
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&o); errors.As(err, &large) {
		rest.Problem(w, rest.Fail(err))
		return
	} else if err != nil {
		rest.Problem(w, huma.Error400BadRequest("The outcome is no JSON that can be read: "+err.Error()))
		return
	}
	if err := s.Orders.TakeOutcome(r.Context(), worklist.Outcome(o), "deployment"); err != nil {
		rest.Problem(w, rest.Fail(err))
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write([]byte("{}\n"))
}

// Outcome is what the deployment tool says of an order.
type Outcome struct {
	Order  int64  `json:"order"` // the number of the order
	Done   bool   `json:"done"`
	Reason string `json:"reason"` // why it failed
}
