// Package httpx is what the pages and the JSON API share over HTTP: routes with the
// right of each, JSON bodies and answers, problem details (RFC 9457) and compression.
// It knows no kitchen.
package httpx

import (
	"encoding/json"
	"errors"
	"net"
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
}

// Get is a route that reads.
func Get(path string, right access.Right, handle gin.HandlerFunc) Route {
	return Route{Method: http.MethodGet, Path: path, Right: right, Handle: handle}
}

// Post is a route that changes something, or takes a body.
func Post(path string, right access.Right, handle gin.HandlerFunc) Route {
	return Route{Method: http.MethodPost, Path: path, Right: right, Handle: handle}
}

// Address is where a request comes from, without the port.
func Address(c *gin.Context) string {
	host, _, err := net.SplitHostPort(c.Request.RemoteAddr)
	if err != nil {
		return c.Request.RemoteAddr
	}
	return host
}

// Problem is an error as RFC 9457 has it, with what is wrong field by field.
type Problem struct {
	Type   string         `json:"type"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Errors invalid.Errors `json:"errors,omitempty"`
}

// WriteProblem answers with problem details.
func WriteProblem(c *gin.Context, status int, detail string, fields invalid.Errors) {
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

// ErrBody says that the body of a request is no JSON, or more than one value.
var ErrBody = errors.New("the body cannot be read")

// BindJSON reads the body of a request into v. Unknown fields are refused. It returns
// invalid.Errors for a field that is wrong, *http.MaxBytesError for a body that is too
// large, and ErrBody for anything else.
func BindJSON(c *gin.Context, v any) error {
	d := json.NewDecoder(c.Request.Body)
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return err
		}
		var fields invalid.Errors
		if errors.As(err, &fields) {
			return fields
		}
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) && kind.Field != "" {
			return invalid.Errors{{Field: kind.Field, Message: "is not a " + kind.Type.String()}}
		}
		if name, ok := strings.CutPrefix(err.Error(), "json: unknown field "); ok {
			return invalid.Errors{{Field: strings.Trim(name, `"`), Message: "is not a field of this request"}}
		}
		return errors.Join(ErrBody, err)
	}
	if d.More() {
		return ErrBody
	}
	return nil
}

// LimitBody lets no request have a body of more than some bytes: reading beyond them
// returns *http.MaxBytesError.
func LimitBody(bytes int64) gin.HandlerFunc {
	return func(c *gin.Context) { c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, bytes) }
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
