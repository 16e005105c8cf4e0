package app

import (
	"context"
	"fmt"
)

type watchKey struct{}

// Follow lets the work of a context be looked at under a key while it runs. The function that it returns ends that.
func (a *App) Follow(ctx context.Context, key string) (context.Context, func()) {
	if key == "" {
		return ctx, func() {}
	}
	a.watched.Store(key, "")
	return context.WithValue(ctx, watchKey{}, key), func() { a.watched.Delete(key) }
}

// HowFar says how far the work of a key is; empty is that nothing was said yet, or that no such work runs.
func (a *App) HowFar(key string) string {
	words, _ := a.watched.Load(key)
	text, _ := words.(string)
	return text
}

// say tells those who watch the work of a context how far it is.
func (a *App) say(ctx context.Context, format string, args ...any) {
	if key, ok := ctx.Value(watchKey{}).(string); ok {
		a.watched.Store(key, fmt.Sprintf(format, args...))
	}
}
