package interchange

import (
	"fmt"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// stepLength is how long a step stands in a calendar.
const stepLength = 10 * time.Minute

// DueCalendar writes what is due in a kitchen as a calendar [RFC 5545], an event each. The same thing has the
// same id each time, so that a calendar that asks again moves it.
func DueCalendar(due []kitchen.Due, a kitchen.Actor, now time.Time) string {
	calendar := ics.NewCalendarFor("Lean Catch")
	calendar.SetMethod(ics.MethodPublish)
	calendar.SetName(a.Site.Name + ": what is due")
	calendar.SetRefreshInterval("PT15M")
	seen := map[string]int{}
	for _, d := range due {
		key := strings.Join([]string{d.Do, d.Code, d.Name, d.To, d.Service.String(), d.PlanID.String()}, "|")
		seen[key]++
		e := calendar.AddEvent(fmt.Sprintf("%s@lean-catch", uuid.NewSHA1(uuid.NameSpaceURL, fmt.Appendf(nil, "%s|%s|%d", a.Site.Slug, key, seen[key]))))
		e.SetDtStampTime(now)
		e.SetStartAt(d.Due)
		e.SetEndAt(d.Due.Add(stepLength))
		e.SetSummary(strings.TrimSpace(d.Do + ": " + strings.TrimSpace(d.Name+" "+d.Code)))
		e.SetDescription(d.Why)
		e.SetLocation(strings.TrimSpace(a.Site.Name + " " + d.At))
	}
	return calendar.Serialize(ics.WithNewLineWindows)
}

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
