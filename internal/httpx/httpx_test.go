package httpx

import (
	"bytes"
	"context"
	"errors"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/sync/semaphore"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
)

// answer is what a route answers a body.
func answer(t *testing.T, r Route, contentType string, body string) (status int, text string) {
	t.Helper()
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.Handle(r.Method, r.Path, r.Bound(func(c *gin.Context, err error) {
		WriteProblem(c, http.StatusTeapot, err.Error(), nil)
	}), r.Handle)
	req := httptest.NewRequest(r.Method, r.Path, strings.NewReader(body))
	req.Header.Set("Content-Type", contentType)
	w := httptest.NewRecorder()
	engine.ServeHTTP(w, req)
	return w.Code, w.Body.String()
}

func TestBodiesAreBounded(t *testing.T) {
	bind := func(c *gin.Context) {
		var in struct{ Readings []struct{} }
		if err := BindJSON(c, &in); err != nil {
			WriteProblem(c, http.StatusUnprocessableEntity, err.Error(), nil)
		}
	}
	post := Post("/x", access.Anyone, bind)
	list := func(n int) string { return `{"readings":[{}` + strings.Repeat(",{}", n-1) + `]}` }
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	w.WriteField("readings", "1")
	w.Close()
	for _, c := range []struct {
		what, kind, body string
		route            Route
		status           int
		says             string
	}{
		{"a list as long as may be", "application/json", list(mostEntries), post, 200, ""},
		{"a longer one", "application/json", list(mostEntries + 1), post, 422, "readings: has more than 20000 entries"},
		{"a comma in a text", "application/json", `{"readings":["` + strings.Repeat(",", mostEntries) + `"]}`, post, 422, "is not a struct"},
		{"lists in lists", "application/json", strings.Repeat("[", 100), post, 422, "more than 32 deep"},
		{"a large body", "application/json", list(20) + strings.Repeat(" ", postBytes), post, http.StatusTeapot, "too large"},
		{"a larger one where it may", "application/json", list(20) + strings.Repeat(" ", postBytes), post.Takes(2 * postBytes), 200, ""},
		{"a small one where less is taken", "application/json", list(20), post.Takes(10), http.StatusTeapot, "too large"},
		{"a form with files", w.FormDataContentType(), form.String(), post, http.StatusTeapot, "no files"},
		{"two values", "application/json", `{}{}`, post, 422, "cannot be read"},
		{"an unknown field", "application/json", `{"reeds":1}`, post, 422, "reeds"},
	} {
		status, text := answer(t, c.route, c.kind, c.body)
		if status != c.status || !strings.Contains(text, c.says) {
			t.Errorf("%s: status %d, %.200s", c.what, status, text)
		}
	}
}

// A body that lies about its length is cut off all the same.
func TestBodiesThatLie(t *testing.T) {
	r := Post("/x", access.Anyone, nil).Takes(100)
	req := httptest.NewRequest("POST", "/x", strings.NewReader(strings.Repeat(" ", 200)))
	req.ContentLength = -1
	c, _ := gin.CreateTestContext(httptest.NewRecorder())
	c.Request = req
	r.Bound(nil)(c)
	var tooLarge *http.MaxBytesError
	if err := BindJSON(c, &struct{}{}); !errors.As(err, &tooLarge) {
		t.Errorf("error %v", err)
	}
}

func TestFewErrorsAreTold(t *testing.T) {
	var bad invalid.Errors
	for range 5000 {
		bad.Add("readings", "is wrong")
	}
	told := httptest.NewRecorder()
	c, _ := gin.CreateTestContext(told)
	WriteProblem(c, http.StatusUnprocessableEntity, "some fields are wrong", bad)
	if n := strings.Count(told.Body.String(), "is wrong"); n != mostErrors || !strings.Contains(told.Body.String(), "20 of 5000") {
		t.Errorf("%d errors: %.200s", n, told.Body)
	}
}

// Long computations take turns; each ends with who asked for it, and when its time is over.
func TestHeavy(t *testing.T) {
	h := &Heavy{semaphore.NewWeighted(1), 20 * time.Millisecond, 50 * time.Millisecond}
	untilItEnds := func(ctx context.Context) error {
		<-ctx.Done()
		return ctx.Err()
	}
	begun := make(chan struct{})
	first := make(chan error, 1)
	go func() {
		first <- h.Do(t.Context(), func(ctx context.Context) error {
			close(begun)
			return untilItEnds(ctx)
		})
	}()
	<-begun
	if err := h.Do(t.Context(), func(context.Context) error { return nil }); !errors.Is(err, ErrBusy) {
		t.Errorf("a second one at once: %v", err)
	}
	if err := <-first; !errors.Is(err, ErrTooLong) {
		t.Errorf("one that takes long: %v", err)
	}
	ctx, leave := context.WithCancel(t.Context())
	go func() { leave() }()
	if err := h.Do(ctx, untilItEnds); !errors.Is(err, context.Canceled) {
		t.Errorf("who leaves: %v", err)
	}
}
