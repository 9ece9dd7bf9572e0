package web

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// undoFor is how long the last act offers to be undone.
const undoFor = 30 * time.Second

// undoCookie keeps the last act in the browser that did it.
const undoCookie = "lc_undo"

// undoView offers to undo the last act.
type undoView struct {
	Done    string
	Seconds int
	Lots    []string // with their events, in order
	Events  []string
	form.Back
}

// offerUndo lets the next pages offer to undo an act: its events, by lot.
func (s *Server) offerUndo(c *gin.Context, done string, events map[uuid.UUID]uuid.UUID) {
	if kitchen.ActorFrom(c.Request.Context()).Asks { // it waits for a manager: nothing of it was done
		return
	}
	v := url.Values{"done": {done}, "until": {s.kitchen.Now().Add(undoFor).UTC().Format(time.RFC3339)}}
	for id, event := range events {
		v.Add("lot", id.String())
		v.Add("event", event.String())
	}
	if text := v.Encode(); len(text) < 3000 { // more a browser does not keep
		http.SetCookie(c.Writer, &http.Cookie{Name: undoCookie, Value: url.QueryEscape(text), Path: s.base(c), MaxAge: int(undoFor.Seconds()),
			HttpOnly: true, Secure: s.opts.TLS, SameSite: http.SameSiteLaxMode})
	}
}

// undoOf is what a page offers to undo; nil for nothing, or where that was too long ago.
func (s *Server) undoOf(c *gin.Context, now time.Time) *undoView {
	text, err := c.Cookie(undoCookie)
	if err != nil {
		return nil
	}
	if text, err = url.QueryUnescape(text); err != nil {
		return nil
	}
	v, err := url.ParseQuery(text)
	until, bad := time.Parse(time.RFC3339, v.Get("until"))
	left := until.Sub(now)
	if err != nil || bad != nil || left <= 0 || left > undoFor || len(v["lot"]) == 0 || len(v["lot"]) != len(v["event"]) {
		return nil
	}
	return &undoView{Done: v.Get("done"), Seconds: int(left.Seconds()) + 1, Lots: v["lot"], Events: v["event"]}
}

// undo cancels the last act.
func (s *Server) undo(c *gin.Context) {
	f := posted(c)
	f.form = "undo"
	events := map[uuid.UUID]uuid.UUID{}
	lots, ids := f.All("lot"), f.All("event")
	for i := range min(len(lots), len(ids)) {
		id, err := uuid.Parse(lots[i])
		event, bad := uuid.Parse(ids[i])
		if err == nil && bad == nil {
			events[id] = event
		}
	}
	if len(events) == 0 {
		f.Bad.Add("lot", "there is nothing to undo")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.Undo(ctx, events)
		if err == nil {
			s.forget(c, undoCookie)
		}
		if len(lots) == 1 {
			return "/lots/" + lots[0], err
		}
		return "/board", err
	}, func(back form.Back) {
		if len(lots) > 0 {
			if _, err := uuid.Parse(lots[0]); err == nil {
				c.Params = gin.Params{{Key: "site", Value: c.Param("site")}, {Key: "id", Value: lots[0]}}
				s.showCard(c, cardView{Back: back})
				return
			}
		}
		s.problem(c, http.StatusUnprocessableEntity, back.Errors.Error())
	})
}

// forget takes a cookie of the kitchen's pages away.
func (s *Server) forget(c *gin.Context, name string) {
	http.SetCookie(c.Writer, &http.Cookie{Name: name, Path: s.base(c), MaxAge: -1, HttpOnly: true, Secure: s.opts.TLS,
		SameSite: http.SameSiteLaxMode})
}
