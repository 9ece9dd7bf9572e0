// Package httpx is what the pages and the JSON API share over HTTP: routes with the
// right of each, JSON bodies and answers, problem details (RFC 9457) and compression.
// It knows no kitchen.
package httpx

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"
	"github.com/klauspost/compress/gzip"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
)

// Route is one address with the right that it needs and what answers it.
type Route struct {
	Method, Path string
	Right        access.Right
	Handle       gin.HandlerFunc
	body         int64 // the most bytes of its body
	files        bool  // it may be a multipart form
}

// The most bytes of a body where a route names no others.
const (
	getBytes  = 1 << 10
	postBytes = 1 << 20
)

// Get is a route that reads.
func Get(path string, right access.Right, handle gin.HandlerFunc) Route {
	return Route{Method: http.MethodGet, Path: path, Right: right, Handle: handle, body: getBytes}
}

// Post is a route that changes something, or takes a body.
func Post(path string, right access.Right, handle gin.HandlerFunc) Route {
	return Route{Method: http.MethodPost, Path: path, Right: right, Handle: handle, body: postBytes}
}

// Takes is the route with a body of at most some bytes.
func (r Route) Takes(bytes int64) Route {
	r.body = bytes
	return r
}

// TakesFiles is the route with a multipart form of at most some bytes.
func (r Route) TakesFiles(bytes int64) Route {
	r.files = true
	return r.Takes(bytes)
}

// ErrFiles says that a form with files came where none are taken.
var ErrFiles = errors.New("this takes no files")

// Bound keeps a body within what the route takes: reading beyond that returns
// *http.MaxBytesError. A multipart form where no files are taken, which would be read whole to find
// its fields, and a body without files that says beforehand that it is too large, go to fail, with
// ErrFiles or *http.MaxBytesError.
func (r Route) Bound(fail func(*gin.Context, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		var err error
		switch {
		case r.files: // said beside the field
		case c.Request.ContentLength > r.body:
			err = &http.MaxBytesError{Limit: r.body}
		case strings.HasPrefix(c.ContentType(), "multipart/"):
			err = ErrFiles
		}
		if err != nil {
			c.Header("Connection", "close") // what follows is not read
			fail(c, err)
			c.Abort()
			return
		}
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, r.body)
	}
}

// Address is where a request comes from, without the port: behind a proxy that the engine trusts, what
// that says.
func Address(c *gin.Context) string { return c.ClientIP() }

// Problem is an error as RFC 9457 has it, with what is wrong field by field.
type Problem struct {
	Type   string         `json:"type"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Errors invalid.Errors `json:"errors,omitempty"`
}

// mostErrors is how many wrong fields an answer names.
const mostErrors = 20

// WriteProblem answers with problem details: of many wrong fields it names the first.
func WriteProblem(c *gin.Context, status int, detail string, fields invalid.Errors) {
	if n := len(fields); n > mostErrors {
		fields = fields[:mostErrors]
		detail += fmt.Sprintf(" (the first %d of %d)", mostErrors, n)
	}
	body, _ := json.Marshal(Problem{"about:blank", http.StatusText(status), status, detail, fields})
	c.Data(status, "application/problem+json", body)
}

// WriteJSON answers with a value as JSON. A value that JSON cannot hold is answered
// with status 500.
func WriteJSON(c *gin.Context, status int, v any) {
	body, err := json.Marshal(v)
	if err != nil {
		WriteProblem(c, http.StatusInternalServerError, "the answer could not be written", nil)
		return
	}
	c.Data(status, "application/json", body)
}

// compressFrom is the size, bytes, from which compressing pays.
const compressFrom = 1400

// Compress compresses answers for clients that take it: all but what is compressed
// already, and streams of events.
func Compress(h http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(compressFrom), gzhttp.CompressionLevel(gzip.BestSpeed))
	if err != nil {
		panic(err) // the options are constant
	}
	compressed := wrap(h)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.Contains(r.Header.Get("Accept"), "text/event-stream") {
			h.ServeHTTP(w, r)
			return
		}
		compressed.ServeHTTP(w, r)
	})
}
