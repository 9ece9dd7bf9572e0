package assess

// Stage is where a lot stands between the freezer and the pan; the zero Stage is fish that
// was never frozen, nor cooked.
type Stage string

// The stages.
const (
	StageFreezing Stage = "freezing"
	StageFrozen   Stage = "frozen"
	StageThawing  Stage = "thawing"
	StageThawed   Stage = "thawed"
	StageCooked   Stage = "cooked" // and chilled, frozen before or not
)

// frozenCoreC is the core at which a lot counts as frozen and no more as freezing, °C (house).
const frozenCoreC = -18.0

// Stage is the stage of the lot.
func (a Assessment) Stage() Stage {
	s := a.state
	n := len(s.FrozenStays)
	switch {
	case a.Cooling != nil:
		return StageCooked
	case n == 0:
		return ""
	case s.Thawing():
		return StageThawing
	case !s.FrozenStays[n-1].To.IsZero():
		return StageThawed
	case s.FrozenStays[n-1].Froze != nil && a.NowC > frozenCoreC && !s.EverBelow(frozenCoreC, s.FrozenStays[n-1].From):
		return StageFreezing
	}
	return StageFrozen
}
