// Package ledger keeps the record: GORM models on SQLite, the append-only event
// log with its hash chain, and the read models computed from it.
package ledger

import (
	"time"

	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/gas"
	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/core/run"
)

// Person may sign in.
type Person struct {
	ID           string `gorm:"primaryKey"`
	Name         string
	Role         person.Role
	PasswordHash string
	Active       bool
	PinHash      string `gorm:"not null;default:''"`    // of the PIN that they sign runs with; empty: none
	OneTime      bool   `gorm:"not null;default:false"` // somebody else gave the password: it is changed at the next sign-in
	Directory    string `gorm:"not null;default:''"`    // who they are in the house's directory: issuer and subject; empty: they are not
	GivenBy      string `gorm:"not null;default:''"`    // who gave the password that they must change
	GivenAt      *time.Time
	Mail         string `gorm:"not null;default:''"` // address that what waits for them is sent to; empty: nothing is
	Demo         bool   // listed on the sign-in page of a demo
}

// SignsInBy is how somebody shows who they are at the sign-in: by "password" or "directory".
func (p Person) SignsInBy() string {
	if p.Directory != "" {
		return "directory"
	}
	return "password"
}

// Asset status.
const (
	InUse    = "in use"
	OutOfUse = "out of use"
	Gone     = "retired"
)

// Asset is a device of the register.
type Asset struct {
	ID         string `gorm:"primaryKey"`
	Tag        string `gorm:"uniqueIndex"`
	Serial     string
	Maker      string `gorm:"index:asset_of_model,priority:1"`
	Model      string `gorm:"index:asset_of_model,priority:2"`
	Family     string `gorm:"index"`
	Site       string `gorm:"index:asset_at,priority:1"`
	Place      string `gorm:"index:asset_at,priority:2"`
	Status     string
	Risk       int                // 1 to 5
	Settings   map[string]string  `gorm:"serializer:json"`
	Limits     map[string]string  `gorm:"serializer:json"`
	Resolution map[string]float64 `gorm:"serializer:json"`
	AwayTo     string             `gorm:"not null;default:''"` // whom it was lent or sent to; empty: it is at its place
	AwaySince  *time.Time
	AwayUntil  *time.Time
	Why        string     `gorm:"not null;default:''"` // why it is out of use, or gone
	AcceptFrom *time.Time // since when it waits to be accepted; nil: it was, or was in use before it was entered
	Owner      string     `gorm:"not null;default:''"` // the ward or department that it belongs to
	Keeper     string     `gorm:"not null;default:''"` // who looks after it, by name
	Software   string     `gorm:"not null;default:''"` // its version
	SetUp      string     `gorm:"not null;default:''"` // the parts it is set up with, a line each
	Supplier   string     `gorm:"not null;default:''"`
	Bought     *time.Time // the day
	Price      float64    `gorm:"not null;default:0.0"` // in the currency of the workshop's prices; 0: not known
	Warranty   *time.Time // the last day of it
	SameAs     string     `gorm:"not null;default:''"` // id of the entry of the same device that stays; empty: this is no double
	Search     string     // lower case: everything it is found by
}

// Activity is a recurring duty on an asset, with its next date.
type Activity struct {
	ID        string `gorm:"primaryKey"`
	AssetID   string `gorm:"index;index:activity_of_asset,priority:1"`
	Procedure string // empty where it is noted by hand
	Title     string
	Duty      duty.Duty `gorm:"serializer:json"` // as its template said, with the interval that was accepted
	LastOn    *time.Time
	DueOn     time.Time `gorm:"index:activity_by_risk,priority:3;index:activity_by_date,priority:2;index:activity_of_asset,priority:3"`
	Risk      int       `gorm:"index:activity_by_risk,priority:2,sort:desc"`
	Active    bool      `gorm:"index:activity_by_risk,priority:1;index:activity_by_date,priority:1;index:activity_of_asset,priority:2"`
	Reason    string
	Used      float64          // since it was last done
	Counter   duty.Counter     `gorm:"embedded;embeddedPrefix:counter_"` // of the device, where what is used is read off it
	Undone    duty.Undone      `gorm:"embedded;embeddedPrefix:undone_"`  // why it does not count, where it does not
	Deferred  duty.Deferral    `gorm:"embedded;embeddedPrefix:deferred_"`
	Accepted  AcceptedInterval `gorm:"embedded;embeddedPrefix:interval_"`
}

// AcceptedInterval says by what, by whom and when an interval was accepted. The zero value: it is the template's.
type AcceptedInterval struct {
	Because string
	By      string
	On      *time.Time
}

// Words is the acceptance in a sentence; empty where there was none.
func (a AcceptedInterval) Words() string {
	if a.On == nil {
		return ""
	}
	return a.Because + " Accepted by " + a.By + " on " + a.On.Format(time.DateOnly) + "."
}

// Standard is a reference standard with its current certificate.
type Standard struct {
	ID          string `gorm:"primaryKey"`
	Tag         string `gorm:"uniqueIndex"`
	Name        string
	Kind        string `gorm:"index"`
	Maker       string
	Serial      string
	Place       string
	Status      string
	Certificate reference.Certificate `gorm:"embedded;embeddedPrefix:certificate_"`
	Values      []reference.Certified `gorm:"column:certified;serializer:json"`
	Cylinder    *gas.Cylinder         `gorm:"serializer:json"`
	Lot         string
	Parent      string // id of the standard it was calibrated against; empty where its certificate leads outside
	Note        string
	AwayTo      string // to whom it was sent out; empty: it is here
	AwaySince   *time.Time
	AwayUntil   *time.Time
	AwayPrice   float64
	CheckDays   int        // how often it is checked between certificates; 0: it is not
	CheckHow    string     // against what, and how
	CheckedAt   *time.Time // last
}

// ReferenceCheck is what a standard was found to be between two certificates.
type ReferenceCheck struct {
	ID         string    `gorm:"primaryKey"` // made by the client
	StandardID string    `gorm:"index:check_of_standard,priority:1"`
	At         time.Time `gorm:"index:check_of_standard,priority:2"`
	By         string
	Against    string // what it was compared with
	Note       string
	Moved      reference.Moved `gorm:"serializer:json"`
}

// StandardCertificate is a certificate a standard has or had.
type StandardCertificate struct {
	ID          string                `gorm:"primaryKey"` // made by the client
	StandardID  string                `gorm:"index"`
	Certificate reference.Certificate `gorm:"embedded"`
	Values      []reference.Certified `gorm:"column:certified;serializer:json"`
	Parent      string
	EnteredBy   string
	Found       []reference.Moved `gorm:"serializer:json"` // what the laboratory found, against the certificate before
}

// Gauge is a reading of a cylinder's gauge.
type Gauge struct {
	ID         string    `gorm:"primaryKey"` // made by the client
	StandardID string    `gorm:"index:gauge_of_standard,priority:1"`
	At         time.Time `gorm:"index:gauge_of_standard,priority:2"`
	Bar        float64
	MeteredL   float64 // used by runs or otherwise, since the reading before
	By         string
	Note       string
}

// ProcedureRevision is a definition that runs were made by, kept under its hash.
type ProcedureRevision struct {
	Hash      string `gorm:"primaryKey"`
	Procedure string `gorm:"index"`
	Revision  int
	Text      string // as it was kept: Hash is of it
}

// Event is a row of the log. Ord is its place in the whole log, Seq in its stream: a run
// ("run/…"), or the record that an act changed first ("assets/…").
type Event struct {
	Ord     int64  `gorm:"primaryKey;autoIncrement"`
	Stream  string `gorm:"uniqueIndex:event_of_stream,priority:1"`
	Seq     int    `gorm:"uniqueIndex:event_of_stream,priority:2"`
	EventID string `gorm:"uniqueIndex"`
	Kind    string
	At      string // RFC 3339 with nanoseconds, UTC: hashed as it stands
	By      string // JSON
	Data    string // JSON
	Log     string // hash of the event before it in the log
	Prev    string // hash of the event before it in its stream
	Hash    string
}

// Run is the read model of a run, in the lists.
type Run struct {
	ID        string `gorm:"primaryKey"`
	AssetID   string `gorm:"index:run_of_asset,priority:1"`
	Tag       string
	Maker     string
	Model     string
	Site      string
	Place     string
	Family    string
	Procedure string
	Title     string
	Revision  int
	Hash      string     // of the definition
	Status    run.Status `gorm:"index:run_by_status,priority:1"`
	Result    run.Result
	OpenedAt  time.Time  `gorm:"index:run_by_status,priority:2"`
	EndedAt   *time.Time `gorm:"index:run_of_asset,priority:2"`
	// What it said when it was signed last, and when, where its reviewer gave it back and it was not signed again.
	GivenBackResult run.Result
	GivenBackAt     *time.Time
	ByID            string
	By              string
	Reviewer        string
	Now             string // what to do next
	TimerTitle      string
	TimerStart      *time.Time
	TimerUntil      *time.Time
	Found           int `gorm:"not null;default:0"` // points read as found
	FoundOut        int `gorm:"not null;default:0"` // of them, outside their limits
	Loose           int
	LooseSince      *time.Time
	Seq             int
	Head            string // hash of its last event
	ReplacedBy      string `gorm:"not null;default:''"` // id of the signed run that takes its place
	Paper           bool   // taken over from an older record, without events
}

// Device is the device in words: maker and model.
func (r Run) Device() string { return r.Maker + " " + r.Model }

// OpenItem is something a run has opened that must be closed again: a loose end, on every screen.
type OpenItem struct {
	ID       uint   `gorm:"primaryKey"`
	RunID    string `gorm:"index"`
	What     string
	Tag      string
	By       string
	OpenedAt time.Time
}

// TableName is what the table has been called from the first version on.
func (OpenItem) TableName() string { return "loose_ends" }

// Fitting is a part that was fitted in a signed run.
type Fitting struct {
	ID      uint   `gorm:"primaryKey"`
	RunID   string `gorm:"index"`
	AssetID string `gorm:"index"`
	At      time.Time
	Part    string
	Amount  int
	Number  string // its maker's order number
	Lot     string // its lot or serial number; empty where it bears none
}

// Result is one point of an ended run.
type Result struct {
	ID           uint      `gorm:"primaryKey"`
	RunID        string    `gorm:"index"`
	AssetID      string    `gorm:"index:result_of_asset,priority:1"`
	At           time.Time `gorm:"index:result_of_asset,priority:2"`
	Measure      string
	Point        string
	Label        string
	Unit         string
	Phase        run.Phase
	Reference    float64
	Indicated    float64
	Error        float64
	Low          *float64
	High         *float64
	U            float64
	Zone         conformity.Zone
	ErrorToLimit float64
	UToLimit     float64
}

// Use is a standard bound to a run.
type Use struct {
	ID         uint   `gorm:"primaryKey"`
	RunID      string `gorm:"index"`
	StandardID string `gorm:"index"`
	Role       string
	At         time.Time
}

// Instrument is a reference or a device with a link.
type Instrument struct {
	ID          string `gorm:"primaryKey"`
	Name        string
	Kind        string // as the procedures name it
	Belongs     string // tag of the reference or device that it is; empty: it stands by itself
	Profile     string // id of the profile that says how it is spoken to; empty: its kind
	ProfileHash string // of the text it was entered or changed with
	Transport   string // empty: tcp
	Address     string // host:port, or the name of a serial port
	Serial      string // how the port is set, as JSON; empty: as the profile says
	Retired     bool
}

// ProfileText is how a sort of instrument was spoken to.
type ProfileText struct {
	Hash string `gorm:"primaryKey"`
	ID   string
	Text string
}

// Setting is one of the lab's settings, as JSON.
type Setting struct {
	Key   string `gorm:"primaryKey"`
	Value string
}

// Session is a signed-in browser. The token is kept hashed.
type Session struct {
	Token  string `gorm:"primaryKey"`
	Data   []byte
	Expiry time.Time `gorm:"index"`
}
