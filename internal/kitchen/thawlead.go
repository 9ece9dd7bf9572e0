package kitchen

import (
	"math"
	"time"

	"github.com/google/uuid"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"leancatch/internal/core/thawing"
)

// ThawLead is how long before it is served a frozen lot is pulled, by a method.
type ThawLead struct {
	Method thawing.Method
	Lead   time.Duration
}

// thawLeads keeps how long lots thaw: to follow one takes tens of milliseconds, and it does not change while the lot lies
// frozen.
type thawLeads struct {
	kept *expirable.LRU[thawLeadKey, []ThawLead]
}

type thawLeadKey struct {
	lot             uuid.UUID
	use             thawing.EndUse
	policy, profile string
	celsius         float64
}

// mostLeads bounds how many are kept, leadsKept for how long.
const (
	mostLeads = 2000
	leadsKept = 24 * time.Hour
)

func newThawLeads() *thawLeads {
	return &thawLeads{expirable.NewLRU[thawLeadKey, []ThawLead](mostLeads, nil, leadsKept)}
}

// of is the kitchen's first method by which a frozen lot thaws within a time; nil where none does.
func (l *thawLeads) of(a Actor, r Row, use thawing.EndUse, within time.Duration) *ThawLead {
	key := thawLeadKey{r.LotID, use, a.Site.ThawSchool, a.Profile().ID, math.Round(r.NowC)}
	list, ok := l.kept.Get(key)
	if !ok {
		list = thawLeadsOf(a, r, use)
		l.kept.Add(key, list)
	}
	for _, lead := range list {
		if lead.Lead <= within {
			return &lead
		}
	}
	return nil
}

// thawLeadsOf are the leads of the methods that the kitchen's policy allows, in its order.
func thawLeadsOf(a Actor, r Row, use thawing.EndUse) (list []ThawLead) {
	now := time.Unix(0, 0).UTC()
	pick := ThawPick{Row: r}
	order := ThawOrder{ServeAt: now.AddDate(0, 0, 13), EndUse: use}
	if err := pick.plan(a, order, a.ThawPolicy(), now); err != nil {
		return nil // its flesh, or its piece, is not known: nobody says how long it thaws
	}
	for _, c := range pick.Choices {
		if c.Refused == "" && !c.StartBy.IsZero() {
			list = append(list, ThawLead{c.Method, order.ServeAt.Sub(c.StartBy)})
		}
	}
	return list
}

// endUse is what fish is thawed for, for a dish.
func (d Dish) endUse() thawing.EndUse {
	if d.Raw {
		return thawing.Raw
	}
	return thawing.Cook
}
