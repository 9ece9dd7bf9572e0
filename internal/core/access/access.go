// Package access says who may do what in a kitchen: the roles and their rights,
// what a PIN and a password must be, and how long tries are refused after
// failures.
package access

// Role is what a person is in a kitchen.
type Role string

// The roles.
const (
	Owner   Role = "owner"
	Manager Role = "manager"
	Buyer   Role = "buyer"
	Crew    Role = "crew"
	Auditor Role = "auditor"
)

// Roles are all roles, from the most rights to the fewest.
var Roles = []Role{Owner, Manager, Buyer, Crew, Auditor}

// Right is a kind of thing that is done. Each route needs one.
type Right string

// The rights.
const (
	Anyone Right = ""       // no sign-in at all
	Self   Right = "self"   // one's own units, PIN, password and sessions
	Read   Right = "read"   // see everything of the kitchen but who signed in and what was refused
	Write  Right = "log"    // write what happens to fish, and what is measured
	Send   Right = "send"   // send readings
	Buy    Right = "buy"    // order, look at the market, claim
	Equip  Right = "equip"  // set up places and probes
	Manage Right = "manage" // rules, papers, schemes; the acts that a lent PIN allows too
	Staff  Right = "staff"  // people, devices, sessions, tokens
	Audit  Right = "audit"  // read who signed in, what was refused and what was changed
	Own    Right = "own"    // open another kitchen
)

// may is the one table of what each role may do.
var may = map[Role][]Right{
	Owner:   {Self, Read, Write, Send, Buy, Equip, Manage, Staff, Audit, Own},
	Manager: {Self, Read, Write, Send, Buy, Equip, Manage, Staff},
	Buyer:   {Self, Read, Write, Send, Buy, Equip},
	Crew:    {Self, Read, Write, Send},
	Auditor: {Self, Read, Audit},
}

// May reports whether a role has a right. An unknown role has none but Anyone.
func (r Role) May(right Right) bool {
	if right == Anyone {
		return true
	}
	for _, has := range may[r] {
		if has == right {
			return true
		}
	}
	return false
}

// MayGrant reports whether somebody of this role may make another one of that
// role, or change who has it: owners all, managers those without rights over
// people.
func (r Role) MayGrant(other Role) bool {
	return r == Owner && may[other] != nil || r.May(Staff) && may[other] != nil && !other.May(Staff)
}

// Scope is what a token of the JSON API may do, within what its person may.
type Scope string

// The scopes.
const (
	ScopeRead     Scope = "read"     // read all
	ScopeWrite    Scope = "write"    // write events and readings
	ScopeReadings Scope = "readings" // send the readings of given probes, and nothing else
	ScopeCalendar Scope = "calendar" // show what is due to a calendar, and nothing else
)

// Scopes are all scopes.
var Scopes = []Scope{ScopeRead, ScopeWrite, ScopeReadings, ScopeCalendar}
