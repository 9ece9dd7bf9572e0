package interchange

import (
	"context"
	"math"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/history"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// HistoryOut is what the product says of a history.
type HistoryOut struct {
	Events []historyEvent  `json:"events"`
	At     []historyMoment `json:"at"`
	Line   []HistoryLine   `json:"line"`
}

type historyEvent struct {
	Index    int            `json:"index"`
	Admitted bool           `json:"admitted"`
	Errors   invalid.Errors `json:"errors,omitempty"`
}

// HistoryLine is a stretch of the temperature line.
type HistoryLine struct {
	From   time.Time    `json:"from"`
	To     time.Time    `json:"to"`
	Min    *float64     `json:"min"` // null where nothing is known
	Max    *float64     `json:"max"`
	Source string       `json:"source"`
	Grade  assess.Grade `json:"grade"`
}

type historyMoment struct {
	At          time.Time              `json:"at"`
	Forecast    bool                   `json:"forecast"`
	OnHand      bool                   `json:"on_hand"`
	Frozen      bool                   `json:"frozen"`
	Temperature historyTemperature     `json:"temperature"`
	Quality     historyQuality         `json:"quality"`
	Clocks      []historyClock         `json:"clocks"`
	Parasites   historyParasites       `json:"parasites"`
	Uses        map[string]historyUse  `json:"uses"`
	Exits       map[string]historyExit `json:"exits"`
}

type historyTemperature struct {
	Celsius *float64     `json:"celsius"`
	Source  string       `json:"source"`
	Grade   assess.Grade `json:"grade"`
}

type historyQuality struct {
	IceDaysUsed *float64   `json:"ice_days_used"`
	LifeLeft    *float64   `json:"life_left_ice_days"`
	UseBy       *time.Time `json:"use_by,omitempty"`
}

type historyClock struct {
	ID      assess.ClockID `json:"id"`
	State   string         `json:"state"`
	Share   *float64       `json:"share,omitempty"`
	Since   *time.Time     `json:"since,omitempty"`
	Guards  []lot.Gate     `json:"guards"`
	Why     string         `json:"why"`
	EndedBy string         `json:"ended_by"`
}

type historyParasites struct {
	Met       bool         `json:"met"`
	Route     string       `json:"route,omitempty"`
	MetAt     *time.Time   `json:"met_at,omitempty"`
	Remaining *float64     `json:"remaining_hours,omitempty"`
	Grade     assess.Grade `json:"grade,omitempty"`
}

type historyUse struct {
	OK           bool     `json:"ok"`
	AfterThawing bool     `json:"after_thawing,omitempty"`
	Reasons      []string `json:"reasons"`
}

type historyExit struct {
	OK           bool     `json:"ok"`
	NeedsManager bool     `json:"needs_manager"`
	Reasons      []string `json:"reasons"`
}

// JudgeHistory lets a history happen and says what comes of it. Errors are on the fields of the
// request, or the context's where that ends first.
func JudgeHistory(ctx context.Context, in HistoryIn) (HistoryOut, error) {
	out, _, err := RunHistory(ctx, in)
	return out, err
}

// RunHistory is JudgeHistory, with the lot at each of the moments.
func RunHistory(ctx context.Context, in HistoryIn) (HistoryOut, []history.Judged, error) {
	record, moments, err := in.History()
	if err != nil {
		return HistoryOut{}, nil, err
	}
	result, err := record.Judge(ctx, moments)
	if ended := ctx.Err(); ended != nil {
		return HistoryOut{}, nil, ended
	}
	if err != nil {
		return HistoryOut{}, nil, history.Fields(err).Under("received.").Err()
	}
	out := HistoryOut{Events: []historyEvent{}, At: []historyMoment{}, Line: []HistoryLine{}}
	for i, refused := range result.Refused {
		out.Events = append(out.Events, historyEvent{i, refused == nil, history.Fields(refused)})
	}
	var last *history.Judged
	for i, j := range result.At {
		out.At = append(out.At, momentOf(j))
		if j.State != nil && (last == nil || j.At.After(last.At)) {
			last = &result.At[i]
		}
	}
	if last != nil {
		out.Line = lineOf(last.Line)
	}
	return out, result.At, nil
}

// finite is a number; nil where it is none.
func finite(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

// given is a time; nil where it is zero.
func given(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func momentOf(j history.Judged) historyMoment {
	out := historyMoment{At: j.At, Forecast: j.Forecast, Clocks: []historyClock{}, Uses: map[string]historyUse{},
		Exits: map[string]historyExit{}}
	if j.State == nil {
		return out
	}
	a := j.Assessment
	out.OnHand = j.State.Status == lot.OnHand
	if now, ok := a.Line.At(a.At); ok {
		out.Temperature = historyTemperature{finite(now.Celsius), now.Source, now.Grade}
		out.Frozen = now.Celsius <= freezing.SolidC && a.Frozen
	}
	out.Quality = historyQuality{IceDaysUsed: finite(a.Used.Days), LifeLeft: finite(a.Left.Days), UseBy: given(a.Ends())}
	if a.Basis == "" {
		out.Quality = historyQuality{UseBy: given(a.KeepTo)}
	}
	for _, r := range a.Clocks {
		c := historyClock{ID: r.ID, State: string(r.State), Share: finite(r.Share), Since: given(r.Since), Guards: r.Guards, Why: r.Why,
			EndedBy: r.EndedBy}
		if c.Guards == nil {
			c.Guards = []lot.Gate{}
		}
		out.Clocks = append(out.Clocks, c)
	}
	p := a.Parasites
	out.Parasites = historyParasites{Met: p.Met, MetAt: given(p.MetAt)}
	if !p.Met || p.Exempt == "" && p.Declaration == nil {
		out.Parasites.Route = p.Route.ID
	}
	if !p.Met {
		left := p.Remaining.Hours()
		out.Parasites.Remaining = &left
	} else if p.Exempt == "" && p.Declaration == nil {
		out.Parasites.Grade = assess.GradeLogged
		if p.Checked {
			out.Parasites.Grade = assess.GradeChecked
		}
	}
	onlyThaw := false
	for _, u := range assess.Fitness(j.State, a) {
		onlyThaw = u.ID == string(lot.GateRaw) && len(u.Reasons) == 1 && u.Reasons[0] == assess.ThawFirst
		out.Uses[u.ID] = historyUse{OK: u.OK, AfterThawing: onlyThaw, Reasons: u.Reasons}
	}
	answers := a.Facts(lot.Left{}).Answers
	for _, exit := range []lot.Gate{lot.ExitRaw, lot.ExitCooked, lot.ExitStaff, lot.ExitTasting, lot.ExitSold, lot.ExitMoved, lot.ExitStock} {
		answer := answers[exit]
		out.Exits[string(exit)[len("exit_"):]] = historyExit{answer.OK, answer.NeedsManager, orNone(answer.Reasons)}
	}
	for _, always := range []string{"discard", "return", "sample"} {
		exit := historyExit{OK: out.OnHand, Reasons: []string{}}
		if !out.OnHand {
			exit.Reasons = []string{"no longer on hand: " + j.State.Status.Name()}
		}
		out.Exits[always] = exit
	}
	return out
}

func orNone(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// lineOf joins the stretches of a line that are known alike.
func lineOf(line assess.Line) []HistoryLine {
	out := []HistoryLine{}
	for _, s := range line {
		e := s.Exposure(s.Span)
		next := HistoryLine{From: s.From, To: s.To, Source: s.Source, Grade: s.Grade}
		if s.Grade != assess.GradeUnknown && e.Covered > 0 {
			next.Min, next.Max = finite(e.Min), finite(e.Max)
		}
		if n := len(out); n > 0 && out[n-1].Grade == next.Grade && out[n-1].Source == next.Source && out[n-1].To.Equal(next.From) {
			last := &out[n-1]
			last.To = next.To
			if next.Min != nil && last.Min != nil {
				last.Min, last.Max = finite(math.Min(*last.Min, *next.Min)), finite(math.Max(*last.Max, *next.Max))
			}
			continue
		}
		out = append(out, next)
	}
	return out
}
