package web

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/kitchen"
)

// The melt chart's axis: the first day takes dayShare of the width, the days
// after it up to axisDays the rest.
const (
	axisWidth = 1000.0
	dayShare  = 0.38
	axisDays  = 14.0
)

// axis places a time from now, in days, on the chart.
func axis(d float64) float64 {
	switch {
	case math.IsNaN(d) || d <= 0:
		return 0
	case d <= 1:
		return axisWidth * dayShare * d
	}
	return axisWidth * (dayShare + (1-dayShare)*math.Min((d-1)/(axisDays-1), 1))
}

type boardView struct {
	Shelves  []shelfView
	Ticks    []tick
	Services []tick
	Lots     int
	Kilos    float64
	Held     int
	Table    bool
}

type tick struct {
	X     float64
	Label string
	Class string
}

// axisTicks are the marks of the axis, in days from now.
var axisTicks = []struct {
	at           float64
	label, class string
}{{0, "now", "tick-first"}, {0.25, "6 h", "tick-minor"}, {0.5, "12 h", ""}, {1, "1 day", ""}, {2, "2", "tick-minor"},
	{3, "3", ""},
	{5, "5", ""}, {7, "7", "tick-minor"}, {10, "10", ""}, {14, "14 days", "tick-last"}}

type shelfView struct {
	kitchen.PlaceLots
	Rows []rowView
}

// rowView is a row with its bar: solid up to where the life surely lasts, then
// melting away to where it may last at most.
type rowView struct {
	kitchen.Row
	Solid, Mean, Soft float64
	Beyond            bool // ends beyond the axis
	Ending            string
	Why               string // what ends it
	NoBar             bool   // nobody knows when
}

func (s *Server) boardView(ctx context.Context, p page, table bool) (boardView, error) {
	shelves, err := s.kitchen.Board(ctx)
	if err != nil {
		return boardView{}, err
	}
	v := boardView{Table: table}
	for _, t := range axisTicks {
		v.Ticks = append(v.Ticks, tick{axis(t.at), t.label, t.class})
	}
	for _, hour := range p.Actor.Site.ServiceHours {
		if in, ok := untilHour(p.Now.In(p.Zone), hour); ok {
			t := tick{axis(in.Hours() / 24), hour, ""}
			if t.X < 80 {
				t.Class = "service-first"
			}
			v.Services = append(v.Services, t)
		}
	}
	for _, shelf := range shelves {
		sv := shelfView{PlaceLots: shelf}
		for _, r := range shelf.Rows {
			sv.Rows = append(sv.Rows, meltRow(r))
			v.Lots++
			v.Kilos += r.WeightKg
			if r.OnHold() {
				v.Held++
			}
		}
		v.Shelves = append(v.Shelves, sv)
	}
	return v, nil
}

// untilHour is the time until the next "15:04" of the clock.
func untilHour(now time.Time, hour string) (time.Duration, bool) {
	t, err := time.Parse("15:04", hour)
	if err != nil {
		return 0, false
	}
	at := time.Date(now.Year(), now.Month(), now.Day(), t.Hour(), t.Minute(), 0, 0, now.Location())
	if at.Before(now) {
		at = at.AddDate(0, 0, 1)
	}
	return at.Sub(now), true
}

func meltRow(r kitchen.Row) rowView {
	v := rowView{Row: r}
	switch {
	case len(r.Stops) > 0:
		v.Why = "rule"
	case r.Hold != "":
		v.Why = "hold"
	case r.Frozen:
		v.Why = "frozen"
	case r.FrozenStatus != nil && r.FrozenStatus.KeepTo != nil && r.Ends.Equal(*r.FrozenStatus.KeepTo):
		v.Why = "hour"
	case r.AgeingStatus != nil:
		v.Why = "age"
	case !r.Known():
		v.Why = "unknown"
	default:
		v.Why = "quality"
	}
	if v.NoBar = !r.Known() && v.Why != "hour" && v.Why != "age"; v.NoBar {
		v.Ending = map[bool]string{true: "frozen", false: "inspect it"}[r.Frozen]
		return v
	}
	if v.Ending = days(r.RealDays); v.Why == "hour" || v.Why == "age" { // it has no band
		v.Solid, v.Mean, v.Soft, v.Beyond = axis(r.RealDays), axis(r.RealDays), axis(r.RealDays), r.RealDays > axisDays
		return v
	}
	band := freshness.Age{SD: r.SdDays}.Band()
	v.Solid = axis((r.LeftNow - band) / *r.Rate)
	v.Mean = axis(r.RealDays)
	v.Soft = axis((r.LeftNow + band) / *r.Rate)
	v.Beyond = r.RealDays > axisDays
	return v
}

// boardChart renders the chart, or takes the one that was made for the same
// version, minute and scales.
func (s *Server) boardChart(c *gin.Context, p page) (renderedPart, error) {
	table := c.Query("view") == "table"
	form := fmt.Sprintf("%t %s %s", table, p.Actor.Temps(), p.Actor.Masses())
	return s.renderedPart(c, p, "board", form, func(ctx context.Context) (template.HTML, error) {
		v, err := s.boardView(ctx, p, table)
		if err != nil {
			return "", err
		}
		p.Data = v
		var out bytes.Buffer
		err = s.views["board"].ExecuteTemplate(&out, "rows", p)
		return template.HTML(out.String()), err
	})
}

func (s *Server) board(c *gin.Context) {
	p := s.page(c, "Board", "board", nil)
	chart, err := s.boardChart(c, p)
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = chart.html
	s.show(c, http.StatusOK, "board", p)
}

// boardRows sends the chart alone, for the live channel.
func (s *Server) boardRows(c *gin.Context) {
	chart, err := s.boardChart(c, s.page(c, "Board", "board", nil))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.sendPart(c, chart)
}
