package access

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"time"
)

// Entry is one line of a site's audit: who did what to whom or what.
type Entry struct {
	Seq      int64 // 1 for the site's first
	At       time.Time
	PersonID *int64 // nil where nobody was signed in
	Name     string // as it was then
	Act      string
	Subject  string
	PrevHash []byte // Hash of the entry before; empty for the first
	Hash     []byte // Digest of all of the above
}

// Digest is the SHA-256 of the entry with the hash of the one before it.
func (e Entry) Digest() []byte {
	text, err := json.Marshal(struct {
		Seq                int64
		At                 string
		PersonID           *int64
		Name, Act, Subject string
		Prev               []byte
	}{e.Seq, e.At.UTC().Truncate(time.Microsecond).Format(time.RFC3339Nano), e.PersonID, e.Name, e.Act, e.Subject,
		e.PrevHash})
	if err != nil {
		panic(err) // strings, numbers and bytes always marshal
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// CheckAudit returns an error that names the first entry that is missing, out of
// order or altered. The entries follow the one given, the zero Entry for the
// whole audit.
func CheckAudit(last Entry, entries []Entry) error {
	for _, e := range entries {
		switch {
		case e.Seq != last.Seq+1:
			return fmt.Errorf("entry %d of the audit is missing", last.Seq+1)
		case !bytes.Equal(e.PrevHash, last.Hash):
			return fmt.Errorf("entry %d of the audit does not follow the one before it", e.Seq)
		case !bytes.Equal(e.Hash, e.Digest()):
			return fmt.Errorf("entry %d of the audit was altered", e.Seq)
		}
		last = e
	}
	return nil
}
