// Package lot is the life of a lot: fish of one species, one form, one origin and one
// history. All that happens to it is an [Event]; [Fold] is the only place that turns
// events into a [State]. Nothing is erased: a correction is an event of its own. What a
// state means at a moment is said by package assess.
package lot

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Event is one thing that happened to a lot.
type Event struct {
	ID         uuid.UUID       // UUIDv7, made by the client: the same id twice is one event
	LotID      uuid.UUID       //
	Seq        int             // 1, 2, 3 … within the lot
	Kind       Kind            //
	HappenedAt time.Time       // when it happened
	RecordedAt time.Time       // when it was written down
	PersonID   int64           // who wrote it
	ApproverID int64           // the manager who approved it; 0 for most
	Data       json.RawMessage // the kind's payload
	PrevHash   []byte          // Hash of the event before it in the lot; empty for the first
	Hash       []byte          // Digest of all of the above
}

// Digest is the SHA-256 of the event with the hash of the one before it.
func (e Event) Digest() []byte {
	text, err := json.Marshal(struct {
		ID, LotID  uuid.UUID
		Seq        int
		Kind       Kind
		Happened   string
		Recorded   string
		PersonID   int64
		Data, Prev []byte
		ApproverID int64 `json:",omitempty"` // later than the others: without one, the digest is what it was
	}{e.ID, e.LotID, e.Seq, e.Kind, stamp(e.HappenedAt), stamp(e.RecordedAt), e.PersonID, e.Data, e.PrevHash,
		e.ApproverID})
	if err != nil {
		panic(err) // strings, numbers and bytes always marshal
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// stamp writes a time as the database keeps it, to the microsecond.
func stamp(t time.Time) string { return t.UTC().Truncate(time.Microsecond).Format(time.RFC3339Nano) }

// CheckChain returns an error that names the first event, in the order of Seq,
// that is missing, out of order or altered.
func CheckChain(events []Event) error {
	var prev []byte
	for i, e := range events {
		switch {
		case e.Seq != i+1:
			return fmt.Errorf("event %d of lot %s is missing", i+1, e.LotID)
		case !bytes.Equal(e.PrevHash, prev):
			return fmt.Errorf("event %d of lot %s does not follow the one before it", e.Seq, e.LotID)
		case !bytes.Equal(e.Hash, e.Digest()):
			return fmt.Errorf("event %d of lot %s was altered", e.Seq, e.LotID)
		}
		prev = e.Hash
	}
	return nil
}
