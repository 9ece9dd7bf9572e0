package kitchen

import (
	"context"
	"errors"
	"fmt"

	"leancatch/internal/core/access"
	"leancatch/internal/store"
)

// Act is the kind of an entry of the audit.
type Act string

// The acts of the audit.
const (
	ActSignedIn    Act = "signed in"
	ActSignedOut   Act = "signed out"
	ActFailed      Act = "sign-in failed"
	ActLockedOut   Act = "locked out"
	ActUnlocked    Act = "unlocked"
	ActRefused     Act = "refused"
	ActApproved    Act = "lent a PIN"
	ActOverride    Act = "override"
	ActDeputy      Act = "deputy named"
	ActExported    Act = "exported"
	ActPersonAdded Act = "person added"
	ActRole        Act = "role changed"
	ActLeft        Act = "person left"
	ActBack        Act = "person back"
	ActSecret      Act = "PIN or password set"
	ActEnrolled    Act = "device enrolled"
	ActRevoked     Act = "revoked"
	ActToken       Act = "token made"
	ActRules       Act = "rules changed"
	ActOpened      Act = "kitchen opened"
	ActSettings    Act = "settings changed"
)

// Acts are all acts, in the order in which the page offers them.
var Acts = []Act{ActSignedIn, ActSignedOut, ActFailed, ActLockedOut, ActUnlocked, ActRefused, ActApproved,
	ActOverride, ActDeputy, ActExported, ActPersonAdded, ActRole, ActLeft, ActBack,
	ActSecret, ActEnrolled, ActRevoked, ActToken, ActRules, ActOpened, ActSettings}

// noSite is the audit of what concerns no kitchen, as a user name that is not known.
const noSite = int64(0)

// audit appends to the audit of a site, within the transaction that does what it
// records. Writers of one audit wait for each other.
func (k *Kitchen) audit(ctx context.Context, tx *store.Tx, site int64, by Person, act Act, subject string) error {
	if err := tx.LockAudit(ctx, site); err != nil {
		return fmt.Errorf("locking the audit: %w", err)
	}
	last, err := tx.AuditHead(ctx, site)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return fmt.Errorf("reading the audit: %w", err)
	}
	e := access.Entry{Seq: last.Seq + 1, At: k.Now(), Name: by.Name, Act: string(act), Subject: subject,
		PrevHash: last.Hash}
	if by.ID != 0 {
		e.PersonID = &by.ID
	}
	if e.PrevHash == nil {
		e.PrevHash = []byte{}
	}
	e.Hash = e.Digest()
	err = tx.AddAudit(ctx, store.AddAuditParams{SiteID: site, Seq: e.Seq, At: e.At, PersonID: e.PersonID,
		Name: e.Name, Act: e.Act, Subject: e.Subject, PrevHash: e.PrevHash, Hash: e.Hash})
	if err != nil {
		return fmt.Errorf("writing the audit: %w", err)
	}
	return tx.SetAuditHead(ctx, store.SetAuditHeadParams{SiteID: site, Seq: e.Seq, Hash: e.Hash})
}

// RecordAudit appends to the audit what the actor did or was refused, where that
// changes nothing else.
func (k *Kitchen) RecordAudit(ctx context.Context, act Act, subject string) error {
	a := ActorFrom(ctx)
	return k.DB.Write(ctx, func(tx *store.Tx) error { return k.audit(ctx, tx, a.Site.ID, a.Person, act, subject) })
}

// auditPage is how many entries a page of the audit has.
const auditPage = 200

// Audit lists the audit of the actor's kitchen, the newest first: those before a
// number (0 for the newest of all), of one act ("" for all).
func (k *Kitchen) Audit(ctx context.Context, act Act, before int64) ([]access.Entry, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Audit); err != nil {
		return nil, err
	}
	if before == 0 {
		before = 1<<31 - 1
	}
	rows, err := k.DB.Audit(ctx, store.AuditParams{SiteID: a.Site.ID, Act: string(act), Before: before,
		Limit: auditPage})
	return mapped(rows, err, auditEntry)
}

func auditEntry(r store.Audit) access.Entry {
	return access.Entry{Seq: r.Seq, At: r.At, PersonID: r.PersonID, Name: r.Name, Act: r.Act, Subject: r.Subject,
		PrevHash: r.PrevHash, Hash: r.Hash}
}
