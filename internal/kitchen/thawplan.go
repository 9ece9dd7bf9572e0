package kitchen

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
	"leancatch/internal/store"
)

// ThawPolicy is the kitchen's habit of thawing.
func (a Actor) ThawPolicy() thawing.Policy {
	s, _ := thawing.GetPolicy(a.Site.ThawSchool)
	return s
}

// SetThawPolicy chooses another; only a manager may.
func (k *Kitchen) SetThawPolicy(ctx context.Context, id string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	if _, ok := thawing.GetPolicy(id); !ok {
		return invalid.Errors{{Field: "school", Message: "choose a method"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetThawSchool(ctx, store.SetThawSchoolParams{ID: a.Site.ID, ThawSchool: id}); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// ThawOrder is what is wanted thawed.
type ThawOrder struct {
	ServeAt    time.Time
	SpeciesID  string
	Form       string
	Portions   int
	PortionKg  float64
	EndUse     thawing.EndUse
	Method     string   // "" leaves it to the school
	MM         *float64 // of a piece; nil as it was frozen
	OneFace    bool     // it lies on a tray that gives no heat
	KeepPacked bool     // somebody wants it thawed in its pack
}

func (o ThawOrder) check(c species.Catalogue, now time.Time) invalid.Errors {
	var bad invalid.Errors
	if _, ok := c.Get(o.SpeciesID); !ok || !slices.Contains(lot.Forms, o.Form) {
		bad.Add("what", "choose what is thawed")
	}
	if o.Portions < 1 || o.Portions > 10000 {
		bad.Add("portions", "must be between 1 and 10 000")
	}
	if !(o.PortionKg > 0 && o.PortionKg <= 50) {
		bad.Add("portion", "must be above 0 and at most 50 kg")
	}
	if !o.ServeAt.After(now) || o.ServeAt.After(now.AddDate(0, 0, 14)) {
		bad.Add("serve_at", "must lie in the next two weeks")
	}
	if o.EndUse != thawing.Cook && o.EndUse != thawing.Raw {
		bad.Add("end_use", "say whether it is cooked or served raw")
	}
	if _, ok := thawing.GetMethod(o.Method); !ok && o.Method != "" {
		bad.Add("method", "choose a method")
	}
	if o.MM != nil && !(*o.MM >= 3 && *o.MM <= 500) {
		bad.Add("thickness_mm", "must be between 3 and 500 mm")
	}
	return bad
}

// ThawPick is a lot, or a part of it, that a thaw takes.
type ThawPick struct {
	Row
	Pieces  int
	Kg      float64
	Request thawing.Request
	Choices []thawing.Choice // by each method
	Chosen  int              // of them; -1 where none is allowed and in time
}

// forbidden is the first reason where each method is refused; "" where one is
// only too late.
func (p ThawPick) forbidden() string {
	if slices.ContainsFunc(p.Choices, func(c thawing.Choice) bool { return c.Refused == "" }) {
		return ""
	}
	return p.Choices[0].Refused
}

// ThawPassed is a lot that a thaw does not take, and why.
type ThawPassed struct {
	Row
	Why string
}

// ThawProposal is how an order could be met.
type ThawProposal struct {
	Order   ThawOrder
	Policy  thawing.Policy
	Need    thawing.Need
	Picks   []ThawPick
	Passed  []ThawPassed
	ShortKg float64 // that is missing
}

// Refused is why it is not to be done so; "" where it may.
func (p ThawProposal) Refused() string {
	for _, pick := range p.Picks {
		if pick.Chosen < 0 {
			if why := pick.forbidden(); why != "" {
				return pick.Code + ": " + why
			}
			return fmt.Sprintf("%s: no method of the house default %s is allowed and in time", pick.Code, p.Policy.Name)
		}
		if why := pick.Choices[pick.Chosen].Refused; why != "" {
			return pick.Code + ": " + why
		}
	}
	return ""
}

// ProposeThaw picks lots for an order, first expired first, and plans how each
// is thawed.
func (k *Kitchen) ProposeThaw(ctx context.Context, o ThawOrder) (ThawProposal, error) {
	return k.proposeThaw(ctx, k.DB.Queries, ActorFrom(ctx), o)
}

func (k *Kitchen) proposeThaw(ctx context.Context, q *store.Queries, a Actor, o ThawOrder) (ThawProposal, error) {
	now := k.Now()
	p := ThawProposal{Order: o, Policy: a.ThawPolicy()}
	if err := o.check(a.Site.Catalogue(), now).Err(); err != nil {
		return p, err
	}
	list, err := q.BoardOnHand(ctx, a.Site.ID)
	if err != nil {
		return p, err
	}
	rows, err := rowsAt(a.Site.Catalogue(), list, now)
	if err != nil {
		return p, err
	}
	taken := map[uuid.UUID]int{}
	reserved, err := q.LotsInThaws(ctx, a.Site.ID)
	if err != nil {
		return p, err
	}
	for _, r := range reserved {
		if r.PulledAt == nil {
			taken[r.LotID] += int(r.Pieces)
		}
	}
	sp, _ := a.Site.Catalogue().Get(o.SpeciesID)
	p.Need = thawing.Portions(sp, o.Form, o.Portions, o.PortionKg)
	rows = slices.DeleteFunc(rows, func(r Row) bool {
		return r.Species.ID != o.SpeciesID || r.Form != o.Form || r.FrozenStatus == nil ||
			r.FrozenStatus.Stage != assess.StageFrozen && r.FrozenStatus.Stage != assess.StageFreezing
	})
	stock := make([]thawing.Stock, len(rows))
	for i, r := range rows {
		stock[i] = thawing.Stock{Against: againstThaw(r, o.EndUse), Free: int(r.Count) - taken[r.LotID],
			PieceKg: r.WeightKg / float64(r.Count), BestBefore: bestBefore(r)}
	}
	picked, passed, short := thawing.Pick(p.Need, o.Portions, o.PortionKg, stock)
	p.ShortKg = short
	for _, x := range passed {
		p.Passed = append(p.Passed, ThawPassed{rows[x.Stock], x.Why})
	}
	for _, x := range picked {
		pick := ThawPick{Row: rows[x.Stock], Pieces: x.Pieces, Kg: x.Kg}
		if err := pick.plan(a, o, p.Policy, now); err != nil {
			return p, err
		}
		p.Picks = append(p.Picks, pick)
	}
	return p, nil
}

// againstThaw is why a frozen lot is not thawed for a use, "" where it may be.
func againstThaw(r Row, use thawing.EndUse) string {
	switch {
	case r.Hold != "":
		return "on hold: " + r.Hold
	case len(r.Stops) > 0:
		return r.Stops[0]
	case r.FrozenStatus.Stage == assess.StageFreezing:
		return "still freezing"
	case use == thawing.Raw && !r.FrozenStatus.Parasites.Met:
		return "not for raw service: " + r.FrozenStatus.Parasites.Text
	case use == thawing.Raw && !r.FrozenStatus.RawReady:
		return "not for raw service: " + strings.Join(assess.AgainstRawThawed(r.Uses), "; ")
	}
	return ""
}

// plan plans the pick by the methods of the policy, or by the one asked for.
func (p *ThawPick) plan(a Actor, o ThawOrder, school thawing.Policy, now time.Time) error {
	p.Request = thawing.Request{Species: p.Species, Piece: p.FrozenStatus.Piece(), StartC: p.NowC, ServeAt: o.ServeAt,
		VacuumPacked: lot.Pack(p.Pack).Wraps(), KeepPacked: o.KeepPacked,
		EndUse: o.EndUse, Policy: school, Profile: a.Profile()}
	if o.MM != nil {
		p.Request.Piece.ThicknessMM = *o.MM
	}
	p.Request.Piece.OneFace = p.Request.Piece.OneFace || o.OneFace
	if o.Method != "" {
		p.Request.Policy.Order = []string{o.Method}
	}
	var err error
	if p.Choices, p.Chosen, err = thawing.Choose(p.Request, now); err == nil && o.Method != "" {
		p.Chosen = 0 // as it was asked for, late or not
	}
	return err
}

// Thaw is a thaw with its lines.
type Thaw struct {
	store.ThawsRow
	Species species.Species
	Lines   []ThawLine
	Was     []store.ThawStepCorrectionsRow // what steps said before they were corrected; of one thaw alone
}

// WasOf is what the steps of a line said before they were corrected.
func (t Thaw) WasOf(n int64) (list []store.ThawStepCorrectionsRow) {
	for _, x := range t.Was {
		if x.N == n {
			list = append(list, x)
		}
	}
	return list
}

// Short is how many of its portions there was no fish for when it was planned.
func (t Thaw) Short() int {
	need := thawing.Portions(t.Species, t.Form, int(t.Portions), t.PortionKg)
	var stock []thawing.Stock
	for _, l := range t.Lines {
		stock = append(stock, thawing.Stock{Free: int(l.Pieces), PieceKg: l.Kg / float64(max(l.Pieces, 1))})
	}
	_, _, kg := thawing.Pick(need, int(t.Portions), t.PortionKg, stock)
	return int(math.Ceil(float64(t.Portions) * kg / need.Kg))
}

// ThawStep is a step of a thaw's line.
type ThawStep struct {
	SiteID   int64
	PlanID   uuid.UUID
	N        int64 // the line
	Seq      int64 // of the step on its line
	Step     string
	At       time.Time // when it is due
	Doing    string
	Why      string
	Core     bool // it asks for a core temperature
	DoneAt   *time.Time
	PersonID *int64
	CoreC    *float64   // °C
	EventID  *uuid.UUID // what it wrote into its lot; nil for nothing
	Person   string
}

// ThawLine is a lot of it.
type ThawLine struct {
	store.ThawLine
	Row   Row
	Plan  thawing.Plan // as it is now forecast
	Steps []ThawStep
}

// Late reports whether the line is ready only after it is wanted.
func (l ThawLine) Late() bool { return l.EndedAt == nil && l.Plan.Late }

// Overdue is the step that the line waits for where that is more than five
// minutes over; nil where it waits for none.
func (l ThawLine) Overdue(now time.Time) *ThawStep {
	next := l.Next()
	if l.EndedAt != nil || next == nil || next.Step == "exit" || now.Sub(next.At) <= 5*time.Minute {
		return nil
	}
	return next
}

// Next is the first step that is not done; nil where all are.
func (l ThawLine) Next() *ThawStep {
	for i := range l.Steps {
		if l.Steps[i].DoneAt == nil {
			return &l.Steps[i]
		}
	}
	return nil
}

// request is what the line asks of the planner.
func (l ThawLine) request(a Actor, t store.ThawsRow, sp species.Species) thawing.Request {
	r := thawing.Request{Species: sp, Piece: piece.Piece{Shape: heat.Shape(l.Shape), ThicknessMM: l.Mm,
		OneFace: l.OneFace}, StartC: l.StartC, Method: l.Method, MediumC: l.MediumC,
		ServeAt: t.ServeAt, VacuumPacked: l.Sealed, EndUse: thawing.EndUse(t.EndUse), Policy: a.ThawPolicy(),
		Profile: a.Profile()}
	if l.FromAt != nil {
		r.From = *l.FromAt
	}
	return r
}

// Thaws lists the thaws that are open, or were closed since a time, the next
// service first.
func (k *Kitchen) Thaws(ctx context.Context, since time.Time) ([]Thaw, error) {
	a := ActorFrom(ctx)
	rows, err := k.DB.Thaws(ctx, store.ThawsParams{SiteID: a.Site.ID, Since: &since})
	if err != nil {
		return nil, err
	}
	return k.thaws(ctx, k.DB.Queries, a, rows)
}

// Thaw returns one.
func (k *Kitchen) Thaw(ctx context.Context, id uuid.UUID) (Thaw, error) {
	a := ActorFrom(ctx)
	t, err := k.thaw(ctx, k.DB.Queries, a, id)
	if err != nil {
		return t, err
	}
	t.Was, err = k.DB.ThawStepCorrections(ctx, store.ThawStepCorrectionsParams{SiteID: a.Site.ID, PlanID: id})
	return t, err
}

func (k *Kitchen) thaw(ctx context.Context, q *store.Queries, a Actor, id uuid.UUID) (Thaw, error) {
	row, err := q.ThawByID(ctx, store.ThawByIDParams{SiteID: a.Site.ID, ID: id})
	if err != nil {
		return Thaw{}, err
	}
	list, err := k.thaws(ctx, q, a, []store.ThawsRow{store.ThawsRow(row)})
	if err != nil {
		return Thaw{}, err
	}
	return list[0], nil
}

func (k *Kitchen) thaws(ctx context.Context, q *store.Queries, a Actor, rows []store.ThawsRow) ([]Thaw, error) {
	ids := make([]uuid.UUID, len(rows))
	at := map[uuid.UUID]int{}
	list := make([]Thaw, len(rows))
	for i, r := range rows {
		ids[i], at[r.ID], list[i] = r.ID, i, Thaw{ThawsRow: r}
		list[i].Species, _ = a.Site.Catalogue().Get(r.Species)
	}
	lines, err := q.ThawLines(ctx, store.ThawLinesParams{SiteID: a.Site.ID, Plans: ids})
	if err != nil {
		return nil, err
	}
	steps, err := q.ThawSteps(ctx, store.ThawStepsParams{SiteID: a.Site.ID, Plans: ids})
	if err != nil {
		return nil, err
	}
	for _, l := range lines {
		t := &list[at[l.PlanID]]
		line := ThawLine{ThawLine: l}
		board, err := q.BoardLot(ctx, store.BoardLotParams{SiteID: a.Site.ID, LotID: l.LotID})
		if err != nil {
			return nil, err
		}
		if line.Row, err = rowAt(a.Site.Catalogue(), board, k.Now()); err != nil {
			return nil, err
		}
		for _, s := range steps {
			if s.PlanID == l.PlanID && s.N == l.N {
				line.Steps = append(line.Steps, ThawStep(s))
			}
		}
		if line.Plan, err = thawing.NewPlan(line.request(a, t.ThawsRow, t.Species)); err != nil {
			return nil, err
		}
		t.Lines = append(t.Lines, line)
	}
	return list, nil
}

// thawDue lists the steps of thaws that are due until a time.
func (k *Kitchen) thawDue(ctx context.Context, until time.Time) ([]Due, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.ThawStepsDue(ctx, store.ThawStepsDueParams{SiteID: site.ID, Until: until})
	if err != nil {
		return nil, fmt.Errorf("loading the steps of thaws: %w", err)
	}
	var due []Due
	for _, r := range rows {
		sp, _ := site.Catalogue().Get(r.Species)
		due = append(due, Due{Action: assess.Action{Do: r.Doing, Why: r.Why, Due: r.At}, Code: r.Code, LotID: r.LotID,
			PlanID: r.PlanID, Name: sp.Name})
	}
	return due, nil
}

// ThawedRows lists the lots on hand that thaw or have thawed, or were cooked.
func (k *Kitchen) ThawedRows(ctx context.Context) ([]Row, error) {
	return k.rowsInStage(ctx, stagesThawed...)
}

// stagesThawed are those of what is out of the freezer.
var stagesThawed = []assess.Stage{assess.StageThawing, assess.StageThawed, assess.StageCooked}

// in reports whether a lot is in one of some frozen stages.
func (r Row) in(stages ...assess.Stage) bool {
	return r.FrozenStatus != nil && slices.Contains(stages, r.FrozenStatus.Stage)
}

// rowsInStage lists the lots on hand in some frozen stages.
func (k *Kitchen) rowsInStage(ctx context.Context, stages ...assess.Stage) ([]Row, error) {
	rows, err := k.rowsOnHand(ctx)
	return slices.DeleteFunc(rows, func(r Row) bool { return !r.in(stages...) }), err
}

// FrozenStock is what is frozen of one species in one form.
type FrozenStock struct {
	Species species.Species
	Form    string
	Kg      float64
	Pieces  int
	PieceKg float64 // of the first to expire
}

// FrozenStock lists what may be thawed, by species and form.
func (k *Kitchen) FrozenStock(ctx context.Context) ([]FrozenStock, error) {
	rows, err := k.rowsInStage(ctx, assess.StageFrozen)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(rows, func(a, b Row) int { return bestBefore(a).Compare(bestBefore(b)) })
	var stock []FrozenStock
	for _, r := range rows {
		i := slices.IndexFunc(stock, func(s FrozenStock) bool {
			return s.Species.ID == r.Species.ID && s.Form == r.Form
		})
		if i < 0 {
			i = len(stock)
			stock = append(stock, FrozenStock{Species: r.Species, Form: r.Form,
				PieceKg: r.WeightKg / float64(max(1, r.Count))})
		}
		stock[i].Kg += r.WeightKg
		stock[i].Pieces += int(r.Count)
	}
	return stock, nil
}
