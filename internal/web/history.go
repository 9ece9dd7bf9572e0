package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/history"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/drawing"
	"leancatch/internal/httpx"
	"leancatch/internal/interchange"
	"leancatch/internal/web/form"
)

// historyView is the page on which a history is tried.
type historyView struct {
	form.Back
	Text    string
	Example string // its id, where the text is one
	Refused []refusedEvent
	Moments []historyMoment
	Line    template.HTML
	Last    assess.Assessment // of the latest moment
}

type refusedEvent struct {
	Index int
	Error invalid.Error
}

// historyMoment is what is said of one moment.
type historyMoment struct {
	history.Judged
	Uses []assess.Use
	Held []assess.Reading // the clocks that close something, or are near it
}

// Examples are the histories to begin with.
func (historyView) Examples() []interchange.HistoryExample { return interchange.HistoryExamples }

// tryHistory shows an example, judged.
func (s *Server) tryHistory(c *gin.Context) {
	v := historyView{Example: c.DefaultQuery("example", interchange.HistoryExamples[0].ID)}
	i := slices.IndexFunc(interchange.HistoryExamples, func(x interchange.HistoryExample) bool { return x.ID == v.Example })
	if i < 0 {
		i = 0
	}
	v.Text = interchange.HistoryExamples[i].Text
	s.showHistory(c, v)
}

// judgeHistory judges what was typed.
func (s *Server) judgeHistory(c *gin.Context) {
	s.showHistory(c, historyView{Text: posted(c).Text("text")})
}

func (s *Server) showHistory(c *gin.Context, v historyView) {
	p := s.page(c, "Try a history", "records", nil)
	v.Values = url.Values{"text": {v.Text}}
	if err := v.judge(c.Request.Context(), s.heavy, p); err != nil {
		if !errors.As(err, &v.Errors) {
			v.Errors = invalid.Errors{{Field: "text", Message: err.Error()}}
		}
	}
	p.Data = v
	s.show(c, v.Status(), "history", p)
}

// judge fills in what comes of the text.
func (v *historyView) judge(ctx context.Context, heavy *httpx.Heavy, p page) error {
	in, err := interchange.ReadHistory(v.Text)
	if err != nil {
		return err
	}
	var out interchange.HistoryOut
	var moments []history.Judged
	if err := heavy.Do(ctx, func(ctx context.Context) (err error) {
		out, moments, err = interchange.RunHistory(ctx, in)
		return err
	}); err != nil {
		return err
	}
	for _, e := range out.Events {
		for _, why := range e.Errors {
			v.Refused = append(v.Refused, refusedEvent{e.Index, why})
		}
	}
	var last *history.Judged
	for i, m := range moments {
		if m.State == nil {
			continue
		}
		said := historyMoment{Judged: m, Uses: assess.Fitness(m.State, m.Assessment)}
		for _, r := range m.Clocks {
			if len(r.Guards) > 0 || r.State == safety.StateWarn {
				said.Held = append(said.Held, r)
			}
		}
		v.Moments = append(v.Moments, said)
		if last == nil || m.At.After(last.At) {
			last = &moments[i]
		}
	}
	if last != nil {
		v.Last = last.Assessment
		v.Line = historyLine(p, *last, v.Moments).Draw()
	}
	return nil
}

// historyLine draws the temperature of the fish, the moments as marks.
func historyLine(p page, j history.Judged, moments []historyMoment) drawing.ColdLine {
	a := j.Assessment
	profile := a.Profile()
	limit := profile.ChilledLimit(j.State.Species())
	l := drawing.ColdLine{From: j.State.ReceivedAt, To: a.At, Zone: p.Zone, Scale: p.Actor.Temps(), Spots: j.State.CoreReadings,
		LimitC: limit, Limit: fmt.Sprintf("keep chilled: ≤ %s, %s", p.Temp(limit), profile.Name)}
	if i := slices.IndexFunc(a.Line, func(s assess.Segment) bool { return s.Grade != assess.GradeUnknown }); i >= 0 {
		l.From = a.Line[i].From
	}
	for _, st := range a.Stretches {
		l.Stages = append(l.Stages, drawing.Stage{Span: st.Span, Name: st.Name})
	}
	for _, m := range moments {
		l.Marks = append(l.Marks, drawing.Mark{At: m.At, Label: "judged"})
	}
	slices.SortStableFunc(l.Marks, func(x, y drawing.Mark) int { return x.At.Compare(y.At) })
	l.Fish = a.Line.Points()
	l.Grades, l.Clocks = gradesAndClocks(a)
	return l
}

// Closes names what a clock closes.
func (historyView) Closes(r assess.Reading) string {
	if closes := r.Closes(); closes != "" {
		return "closes " + closes
	}
	return "near its limit"
}

// Gone is how the lot had left by then; "" while it is on hand.
func (m historyMoment) Gone() string {
	if m.State.Status == lot.OnHand {
		return ""
	}
	return m.State.Status.Name()
}
