package api

import (
	"net/http"
	"sync"

	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"

	"leancatch/internal/httpx"
)

// limiter bounds how often one address may call the calculators.
type limiter struct {
	mu   sync.Mutex
	seen map[string]*rate.Limiter
}

// Calls a second, and at once, of the calculators from one address.
const (
	calcRate  = 50
	calcBurst = 200
)

func newLimiter() *limiter { return &limiter{seen: map[string]*rate.Limiter{}} }

// then calls a handler where the address has not called too often.
func (l *limiter) then(handle gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		if l.allow(c) {
			handle(c)
		}
	}
}

func (l *limiter) allow(c *gin.Context) bool {
	host := httpx.Address(c)
	l.mu.Lock()
	if len(l.seen) > 10000 {
		clear(l.seen)
	}
	one, ok := l.seen[host]
	if !ok {
		one = rate.NewLimiter(calcRate, calcBurst)
		l.seen[host] = one
	}
	l.mu.Unlock()
	if !one.Allow() {
		c.Header("Retry-After", "1")
		httpx.WriteProblem(c, http.StatusTooManyRequests, "too many calls: wait a second", nil)
		return false
	}
	return true
}
