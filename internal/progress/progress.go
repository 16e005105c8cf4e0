// Package progress lets people see how far long work is.
package progress

import (
	"context"
	"fmt"
	"sync"
)

// Board shows how far work is: the program's own in one line, and what somebody waits for under a key.
// The zero Board is ready for use, by several at once.
type Board struct {
	words sync.Map // by key
	mu    sync.Mutex
	step  string
}

// Step says what the program is doing; empty is nothing.
func (b *Board) Step(text string) {
	b.mu.Lock()
	b.step = text
	b.mu.Unlock()
}

// Doing returns what the program is doing, or "".
func (b *Board) Doing() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.step
}

type watchKey struct{}

// Follow lets the work of a context be looked at under a key while it runs. The function that it returns ends that.
func (b *Board) Follow(ctx context.Context, key string) (context.Context, func()) {
	if key == "" {
		return ctx, func() {}
	}
	b.words.Store(key, "")
	return context.WithValue(ctx, watchKey{}, key), func() { b.words.Delete(key) }
}

// HowFar says how far the work of a key is; empty is that nothing was said yet, or that no such work runs.
func (b *Board) HowFar(key string) string {
	words, _ := b.words.Load(key)
	text, _ := words.(string)
	return text
}

// Say tells those who watch the work of a context how far it is.
func (b *Board) Say(ctx context.Context, format string, args ...any) {
	if key, ok := ctx.Value(watchKey{}).(string); ok {
		b.words.Store(key, fmt.Sprintf(format, args...))
	}
}
