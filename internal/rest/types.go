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
func OnID(do func(ctx context.Context, id int64, who string) error) func(context.Context, Account, *ByID) (Done, error) {
	return func(ctx context.Context, me Account, in *ByID) (Done, error) { return DoneOr(do(ctx, in.ID, me.Name)) }
}

// Plain answers a request that says nothing but that it asks.
func Plain[T any](ask func(ctx context.Context) (T, error)) func(context.Context, Account, *None) (T, error) {
	return func(ctx context.Context, _ Account, _ *None) (T, error) { return ask(ctx) }
}

func Get(id, path string) huma.Operation {
	return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path}
}

// baseKey is where a request's own address is kept: mail to users names it.
type baseKey struct{}

// withBase keeps the address under which the program was reached.
func withBase(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		scheme := "http://"
		if r.TLS != nil {
			scheme = "https://"
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), baseKey{}, scheme+r.Host)))
	})
}

func BaseOf(ctx context.Context) string {
	base, _ := ctx.Value(baseKey{}).(string)
	return base
}
