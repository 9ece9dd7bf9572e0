package lot

import (
	"bytes"
	"encoding/json"
	"fmt"
)

type eventKind struct {
	kind   Kind
	name   string
	decode func([]byte) (Payload, error)
}

// eventKinds are all kinds of event.
var eventKinds = []eventKind{
	{KindReceived, "Received", decode[Received]},
	{KindInspected, "Inspected", decode[Inspected]},
	{KindMoved, "Moved", decode[Moved]},
	{KindTemperature, "Temperature", decode[Temperature]},
	{KindLogger, "Logger", decode[Logger]},
	{KindHeld, "Held", decode[Held]},
	{KindReleased, "Released", decode[Released]},
	{KindRefused, "Refused", decode[Refused]},
	{KindLeft, "Finished", decode[Left]},
	{KindDiscarded, "Discarded", decode[Discarded]},
	{KindVoided, "Entry cancelled", decode[Voided]},
	{KindSplit, "Split", decode[Split]},
	{KindSplitFrom, "Split from another lot", decode[SplitFrom]},
	{KindPhoto, "Photo", decode[Photographed]},
	{KindChecked, "Checked", decode[Checked]},
	{KindComplaint, "Complaint", decode[Complaint]},
	{KindCaught, "Caught", decode[Caught]},
	{KindKilled, "Killed", decode[Killed]},
	{KindBled, "Bled", decode[Bled]},
	{KindGutted, "Gutted", decode[Gutted]},
	{KindWashed, "Washed", decode[Washed]},
	{KindIced, "On ice", decode[Iced]},
	{KindTested, "Histamine test", decode[Tested]},
	{KindGapExplained, "Missing hours explained", decode[GapExplained]},
	{KindPacked, "Packed", decode[Packed]},
	{KindReviewed, "Reviewed after a failure", decode[Reviewed]},
	{KindFroze, "To freeze", decode[Froze]},
	{KindPulled, "Pulled to thaw", decode[Pulled]},
	{KindThawed, "Thawed", decode[Thawed]},
	{KindReturned, "Back to the freezer", decode[Returned]},
	{KindCooked, "Cooked, to chill", decode[Cooked]},
	{KindHung, "Ageing started", decode[Hung]},
	{KindWeighed, "Weighed", decode[Weighed]},
	{KindDailyCheck, "Daily check", decode[DailyCheck]},
	{KindTakenDown, "Taken out of ageing", decode[TakenDown]},
}

var eventKindOf = func() map[Kind]eventKind {
	rows := map[Kind]eventKind{}
	for _, row := range eventKinds {
		rows[row.kind] = row
	}
	return rows
}()

// Kinds lists all kinds of event.
func Kinds() []Kind {
	list := make([]Kind, len(eventKinds))
	for i, row := range eventKinds {
		list[i] = row.kind
	}
	return list
}

// Name is the kind in a word or two; "" for one that is not known.
func (k Kind) Name() string { return eventKindOf[k].name }

// Decode reads the payload of a kind. Unknown fields are refused.
func Decode(kind Kind, data []byte) (Payload, error) {
	row, ok := eventKindOf[kind]
	if !ok {
		return nil, fmt.Errorf("event kind %q is not known", kind)
	}
	return row.decode(data)
}

func decode[P Payload](data []byte) (Payload, error) {
	var p P
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return nil, fmt.Errorf("payload of %s: %w", p.Kind(), err)
	}
	return p, nil
}
