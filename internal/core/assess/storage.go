package assess

import (
	"fmt"
	"time"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// coverAfter is how long fish lies open before it is covered (common practice:
// a day on a rim, to dry, then covered).
const coverAfter = 24 * time.Hour

// StorageCautions are the cautions for a lot as it lies and is packed (common practice).
func StorageCautions(s *lot.State, env Env) []string {
	if s.Status != lot.OnHand {
		return nil
	}
	place := env.Places[s.Place()]
	fillet := cutting.IsCut(s.Form)
	packing, said := s.Packing()
	var list []string
	switch {
	case s.Frozen() && said && packing.Pack.Wraps():
		list = append(list, "Open the pack before it thaws.")
	case s.Frozen(), s.Cooked != nil:
	case s.Ageing() != nil:
		list = append(list, "It hangs free and touches nothing; the fan's grid is clear, the tray below dry.")
	case packing.Reduced():
		list = append(list,
			fmt.Sprintf(
				"Reduced-oxygen pack: keep it at %.1f °C or colder, with a record; opened, it counts as air again.",
				safety.OxygenC))
	case packing.Pack == lot.PackIce || place.Kind == "tote":
		list = append(list, "In ice: let the melt water run off, cover with ice, belly down so that the cavity drains.")
		if fillet {
			list = append(list, "Never bare on ice: wrap fillets and cut pieces first.")
		}
	case fillet:
		list = append(list,
			"On a dry absorbent pad, its shiny film to the fish unless its maker says otherwise; wrapped tight, no "+
				"air, changed when wet.")
	default:
		list = append(list, "On a rim so that it drains; open for the first day, then covered, or tight film at once.")
	}
	if !s.Frozen() {
		if below, over := place.Over(env.Places); over {
			list = append(list, fmt.Sprintf("Raw fish above ready-to-eat food in %s: it drips. Move one of them.",
				below.Name))
		}
	}
	return list
}

// coverBy is when open fish is to be covered; zero where that is not asked.
func coverBy(s *lot.State) time.Time {
	if n := len(s.Packs); n > 0 && s.Packs[n-1].Pack == lot.PackAir && !s.Frozen() && s.Thaw() == nil && s.Ageing() == nil {
		return s.Packs[n-1].From.Add(coverAfter)
	}
	return time.Time{}
}
