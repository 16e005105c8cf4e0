package rest

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// Said is how far some work is, in words.
type Said struct {
	Words string `json:"words"`
}

func Post(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodPost, Path: path}
}

// Done says how much was done.
type Done struct {
	Count int `json:"count"`
}

// Made is the number of what was made or changed.
type Made struct {
	ID int64 `json:"id"`
}

type None struct{}

// ByID names a thing by its number.
type ByID struct {
	ID int64 `path:"id"`
}

// ByCode names a thing by its code.
type ByCode struct {
	Code string `path:"code"`
}

// DoneOr says that one thing was done, or why not.
func DoneOr(err error) (Done, error) { return Done{Count: 1}, err }

// CountOr says how much was done, or why not.
func CountOr(n int, err error) (Done, error) { return Done{Count: n}, err }

// MadeOr is the number of what was made, or why it was not.
func MadeOr(id int64, err error) (Made, error) { return Made{ID: id}, err }

// OnID answers a request that names a thing by its number and says no more.
func OnID(do func(ctx context.Context, id int64, who string) error) Handler[ByID, Done] {
	return func(ctx context.Context, me Account, in *ByID) (Done, error) { return DoneOr(do(ctx, in.ID, me.Name)) }
}

// ByRevision names a thing by its number, and says which revision of it somebody saw.
type ByRevision struct {
	ID   int64 `path:"id"`
	Body struct {
		Revision int64 `json:"revision" minimum:"0" doc:"that was seen; one that somebody changed since does not end"`
	}
}

// OnRevision answers a request that ends a thing as somebody saw it.
func OnRevision(do func(ctx context.Context, id, revision int64, who string) error) Handler[ByRevision, Done] {
	return func(ctx context.Context, me Account, in *ByRevision) (Done, error) {
		return DoneOr(do(ctx, in.ID, in.Body.Revision, me.Name))
	}
}

// Plain answers a request that says nothing but that it asks. to makes of the answer what is sent: One or All.
func Plain[A, B any](ask func(ctx context.Context) (A, error), to func(A, error) (B, error)) Handler[None, B] {
	return func(ctx context.Context, _ Account, _ *None) (B, error) { return to(ask(ctx)) }
}

// One makes what is sent of one answer.
func One[A, B any](to func(A) B) func(A, error) (B, error) {
	return func(v A, err error) (B, error) {
		if err != nil {
			var none B
			return none, err
		}
		return to(v), nil
	}
}

// All makes what is sent of a list of answers.
func All[A, B any](to func(A) B) func([]A, error) ([]B, error) {
	return func(list []A, err error) ([]B, error) { return Each(list, to), err }
}

// Each makes something of each thing of a list; of no list it makes none.
func Each[A, B any](list []A, to func(A) B) []B {
	if list == nil {
		return nil
	}
	out := make([]B, len(list))
	for i, v := range list {
		out[i] = to(v)
	}
	return out
}

// Maybe makes something of what may be there.
func Maybe[A, B any](to func(A) B) func(*A) *B {
	return func(v *A) *B {
		if v == nil {
			return nil
		}
		out := to(*v)
		return &out
	}
}

func Get(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path}
}
