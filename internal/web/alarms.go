package web

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// alarmView is an alarm with the page that it stands on.
type alarmView struct {
	kitchen.AlarmEntry
	p page
}

// Text says what is wrong, in a line.
func (v alarmView) Text() string {
	p := v.p
	until := "since " + p.Stamp(v.Since)
	if !v.Lasts() {
		until = fmt.Sprintf("%s to %s", p.Stamp(v.Since), p.Clock(*v.EndedAt))
		if !sameDay(v.Since.In(p.Zone), v.EndedAt.In(p.Zone)) {
			until = fmt.Sprintf("%s to %s", p.Stamp(v.Since), p.Stamp(*v.EndedAt))
		}
	}
	switch v.What() {
	case alarm.Warm:
		return fmt.Sprintf("up to %s, limit %s, %s", p.Temp(v.WorstC), p.Temp(v.LimitC), until)
	case alarm.Freezing:
		return fmt.Sprintf("down to %s, limit %s, %s", p.Temp(v.WorstC), p.Temp(v.LimitC), until)
	case alarm.Silent:
		return fmt.Sprintf("nothing from %s %s; last it read %s", v.Probe, until, p.Temp(v.WorstC))
	case alarm.Disagree:
		return fmt.Sprintf("%s is up to %s from another probe there, %s", v.Probe, strings.TrimPrefix(p.Kelvin(v.WorstC), "+"), until)
	}
	return fmt.Sprintf("opened %d times, up to %s, %s", v.Openings, p.Temp(v.WorstC), until)
}

// State is its class and glyph.
func (v alarmView) State() string {
	switch {
	case len(v.Actions) > 0 && !v.Lasts():
		return "done"
	case v.Stops:
		return "stop"
	}
	return "warn"
}

// Offered are the actions offered for it.
func (v alarmView) Offered() []string { return v.What().Actions() }

// Failed reports whether fish may have suffered: there is a page for that.
func (v alarmView) Failed() bool { return v.What() == alarm.Warm || v.What() == alarm.Silent }

// Lasted is how long it lasted, or lasts.
func (v alarmView) Lasted() string { return hoursText(v.Until(v.p.Now).Sub(v.Since).Hours()) }

// alarmGroup is what one place says of one kind: a door that keeps opening is one thing.
type alarmGroup struct {
	alarmView // the one that is shown: the last that was raised
	Times     int
	First     time.Time // since when the first of them lasts, or lasted
	Lasting   bool      // any of them
}

// Text says what is wrong, in a line: of several, how often, and since when it is over.
func (g alarmGroup) Text() string {
	if g.Times == 1 {
		return g.alarmView.Text()
	}
	p := g.p
	said := fmt.Sprintf("%d times since %s", g.Times, p.Stamp(g.First))
	if g.What() == alarm.Warm {
		said = fmt.Sprintf("up to %s, limit %s, %s", p.Temp(g.WorstC), p.Temp(g.LimitC), said)
	}
	if !g.Lasting {
		said += ", over since " + p.Clock(*g.EndedAt)
	}
	return said
}

// grouped gathers alarms by place and kind, in the order in which they stand: the worst first.
func grouped(list []alarmView) []alarmGroup {
	var groups []alarmGroup
	for _, v := range list {
		i := slices.IndexFunc(groups, func(g alarmGroup) bool { return g.PlaceID == v.PlaceID && g.What() == v.What() })
		if i < 0 {
			groups = append(groups, alarmGroup{v, 1, v.Since, v.Lasts()})
			continue
		}
		g := &groups[i]
		g.Times++
		g.Lasting = g.Lasting || v.Lasts()
		if v.Since.Before(g.First) {
			g.First = v.Since
		}
		if g.What() == alarm.Warm {
			g.WorstC = max(g.WorstC, v.WorstC)
		}
	}
	return groups
}

// alarmBar is the line of alarms that want somebody, above every page: safety stops always, others
// outside the quiet hours. It is one line, whatever happens: the worst, and how many others there are.
type alarmBar struct {
	Worst *alarmGroup       // nil where there is none
	Short *kitchen.Shortage // of a service, the soonest; nil where nothing is short
	More  int
	Sound bool // a stop that lasts, or any other by day
	// Devices are the kinds of handheld device that the kitchen has: their last
	// value is offered beside fields.
	Devices string
}

// ShortText says what is missing, in a line.
func (p page) ShortText(x kitchen.Shortage) string {
	text := fmt.Sprintf("%d of %d plates short for %s", x.Dish.Wanted-x.Dish.There(), x.Dish.Wanted, p.When(x.Service.At))
	if fell := x.Dish.Fallen(); len(fell) > 0 {
		text += fmt.Sprintf(": %s %s", fell[0].Code, fell[0].Against)
	}
	return text
}

func (s *Server) alarmBar(c *gin.Context, p page) (template.HTML, error) {
	return s.rendered(c, p, "alarms", p.TempUnit(), func(ctx context.Context) (template.HTML, error) {
		list, err := s.kitchen.OpenAlarms(ctx)
		if err != nil {
			return "", err
		}
		probes, err := s.kitchen.ProbeList(ctx)
		if err != nil {
			return "", err
		}
		quiet := s.kitchen.Quiet(p.Actor)
		var bar alarmBar
		for _, x := range probes {
			if x.Kind == kitchen.Thermometer || x.Kind == kitchen.Scale {
				bar.Devices += x.Kind + " "
			}
		}
		var wanted []alarmView
		for _, a := range list {
			if !a.Stops && (quiet || !a.Lasts()) {
				continue
			}
			bar.Sound = bar.Sound || a.Lasts()
			wanted = append(wanted, alarmView{a, p})
		}
		planned, err := s.kitchen.Planned(ctx)
		if err != nil {
			return "", err
		}
		short := kitchen.Shortages(planned, p.Now)
		groups := grouped(wanted)
		if bar.More = len(groups) + len(short) - 1; len(groups) > 0 {
			bar.Worst = &groups[0]
		}
		if len(short) > 0 && (bar.Worst == nil || !bar.Worst.Lasting) { // what is over waits
			bar.Worst, bar.Short = nil, &short[0]
		}
		p.Data = bar
		var out strings.Builder
		err = s.views["due"].ExecuteTemplate(&out, "alarm-bar", p)
		return template.HTML(out.String()), err
	})
}

// alarmPart sends the bar alone, for the live channel.
func (s *Server) alarmPart(c *gin.Context) {
	html, err := s.alarmBar(c, s.page(c, "", "", nil))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(html))
}

// actOnAlarm records a corrective action.
func (s *Server) actOnAlarm(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "act-" + id.String()
	n := kitchen.NewAction{ID: f.UUID("new_id"), AlarmID: id, Action: f.Text("action"), Note: f.Text("note")}
	to, again := "/cold", func(back form.Back) { s.showIce(c, iceView{Back: back}) }
	if f.Text("back") == "alarm" {
		to, again = "/cold/alarms/"+id.String(), func(back form.Back) { s.showFailure(c, back) }
	}
	s.post(c, f, func(ctx context.Context) (string, error) { return to, s.kitchen.ActOnAlarm(ctx, n) }, again)
}

// failureView is what an alarm did, and what is decided.
type failureView struct {
	kitchen.Failure
	Alarm  alarmView
	Line   template.HTML
	Groups []failureGroup
	form.Back
}

// failureGroup are the lots of which the same becomes.
type failureGroup struct {
	Outcome lot.FailureOutcome
	Lots    []kitchen.FailedLot
}

// Outcomes are what may become of a lot, by who decides.
func (failureView) Outcomes(p page, l kitchen.FailedLot) []form.Option {
	var list []form.Option
	for _, o := range l.Decisions(p.Actor.IsManager()) {
		list = append(list, form.Option{ID: string(o), Name: o.Name()})
	}
	return append(list, form.Option{ID: "discard", Name: "Discard"})
}

func (s *Server) failure(c *gin.Context) { s.showFailure(c, form.Back{}) }

func (s *Server) showFailure(c *gin.Context, back form.Back) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	v := failureView{Back: back}
	var err error
	if v.Failure, err = s.kitchen.Failure(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "After the failure", "cold", nil)
	v.Alarm = alarmView{v.Failure.Alarm, p}
	from := v.Span.From.Add(-2 * time.Hour)
	line := drawing.ColdLine{From: from, To: v.Span.To, Zone: p.Zone, Scale: p.Actor.Temps(), LimitC: v.Alarm.LimitC,
		Limit: "limit " + p.Temp(v.Alarm.LimitC)}
	if v.Alarm.What() != alarm.Warm {
		line.LimitC, line.Limit = p.Profile.ChilledMaxC, "keep chilled: ≤ "+p.Temp(p.Profile.ChilledMaxC)
	}
	line.Stages = []drawing.Stage{{Span: coldchain.Span{From: v.Alarm.Since, To: v.Alarm.Until(p.Now)},
		Name: strings.ToLower(v.Alarm.What().Name())}}
	line.Marks = append(line.Marks, drawing.Mark{At: v.Alarm.Since, Label: "beyond the limit"},
		drawing.Mark{At: v.Alarm.RaisedAt, Label: "alarm"})
	if v.Alarm.EndedAt != nil {
		line.Marks = append(line.Marks, drawing.Mark{At: *v.Alarm.EndedAt, Label: "back"})
	}
	line.Trace = tracePoints(v.Trace)
	v.Line = line.Draw()
	for _, after := range []lot.FailureOutcome{lot.OutcomeStopped, lot.OutcomeCook, lot.OutcomeFine} {
		g := failureGroup{Outcome: after}
		for _, l := range v.Lots {
			if l.Impact.Outcome == after {
				g.Lots = append(g.Lots, l)
			}
		}
		if len(g.Lots) > 0 {
			v.Groups = append(v.Groups, g)
		}
	}
	p.Data = v
	s.show(c, v.Status(), "failure", p)
}

// recordFailure takes in what was decided, for all lots at once.
func (s *Server) recordFailure(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	r := kitchen.Review{Action: kitchen.NewAction{ID: f.UUID("new_id"), AlarmID: id, Action: f.Text("action"),
		Note: f.Text("note")}, Lots: map[uuid.UUID]kitchen.LotReview{}}
	for field := range f.Values {
		if lotID, err := uuid.Parse(strings.TrimPrefix(field, "lot-")); err == nil && strings.HasPrefix(field, "lot-") {
			what := f.Text(field)
			r.Lots[lotID] = kitchen.LotReview{EventID: f.UUID("event-" + lotID.String()),
				Outcome: lot.FailureOutcome(what), Discard: what == "discard"}
		}
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/alarms/" + id.String(), s.kitchen.RecordFailure(ctx, r)
	}, func(back form.Back) { s.showFailure(c, back) })
}

// setAlarmSettings takes in the kitchen's own of its alarms and probes.
func (s *Server) setAlarmSettings(c *gin.Context) {
	f := posted(c)
	f.form = "watching"
	w := kitchen.AlarmSettings{QuietFrom: f.Hour("quiet_from"), QuietTo: f.Hour("quiet_to"),
		AltitudeM: f.MustNumber("altitude", "m"), CheckDays: f.MustWhole("check_days", "d", "days")}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/probes", s.kitchen.SetAlarmSettings(ctx, w)
	}, func(back form.Back) {
		s.showProbes(c, probesView{Back: back})
	})
}
