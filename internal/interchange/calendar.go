package interchange

import (
	"fmt"
	"time"

	ics "github.com/arran4/golang-ical"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// stepLength is how long a step stands in a calendar.
const stepLength = 10 * time.Minute

// ThawCalendar writes what is left to do of a thaw as a calendar file [RFC
// 5545], an event for each step with an alarm at its time.
func ThawCalendar(t kitchen.Thaw, a kitchen.Actor, now time.Time) string {
	calendar := ics.NewCalendarFor("Lean Catch")
	calendar.SetMethod(ics.MethodPublish)
	calendar.SetName(fmt.Sprintf("Thaw for %s", t.ServeAt.In(a.Zone()).Format("Mon 15:04")))
	for _, l := range t.Lines {
		for _, s := range l.Steps {
			if s.DoneAt != nil || l.EndedAt != nil {
				continue
			}
			e := calendar.AddEvent(fmt.Sprintf("%s-%d-%d@lean-catch", t.ID, l.N, s.Seq))
			e.SetDtStampTime(now)
			e.SetStartAt(s.At)
			e.SetEndAt(s.At.Add(stepLength))
			e.SetSummary(fmt.Sprintf("%s: %s", l.Row.Code, s.Doing))
			e.SetDescription(fmt.Sprintf("%s, %s, %d pieces. %s", t.Species.Name, lot.FormName(t.Form), l.Pieces,
				s.Why))
			e.SetLocation(a.Site.Name)
			alarm := e.AddAlarm()
			alarm.SetAction(ics.ActionDisplay)
			alarm.SetTrigger("PT0S")
			alarm.SetDescription(s.Doing)
		}
	}
	return calendar.Serialize(ics.WithNewLineWindows) // RFC 5545, 3.1: CRLF
}
