package ledger

import (
	"time"

	"northneedle/core/device"
)

// SafetyNotice is a maker's or an authority's warning about some devices, and what is to be done with each.
type SafetyNotice struct {
	ID         string `gorm:"primaryKey"`
	Number     string // as its issuer numbers it
	Issuer     string
	Title      string
	Text       string // what is wrong, and what is to be done
	Dated      time.Time
	Until      *time.Time // by when it is to be done
	Stops      bool       // a device is not to be used until it was done
	Maker      string
	Models     []string `gorm:"serializer:json"` // none: all of the maker
	Serials    string   // which of them, as [device.ParseSerials] reads it; empty: all
	Versions   string   // of the software, as [device.ParseVersions] reads it; empty: all
	At         time.Time
	By         string
	Closed     *time.Time
	ClosedBy   string
	Conclusion string
}

// Affected is which devices the notice is about.
func (n SafetyNotice) Affected() (device.Affected, error) {
	serials, err := device.ParseSerials(n.Serials)
	if err != nil {
		return device.Affected{}, err
	}
	versions, err := device.ParseVersions(n.Versions)
	return device.Affected{Maker: n.Maker, Models: n.Models, Serials: serials, Versions: versions}, err
}

// SafetyDevice is what became of one device under a notice. One that has none is open.
type SafetyDevice struct {
	ID       string `gorm:"primaryKey"` // of the notice and the device
	NoticeID string `gorm:"index:safety_of_notice"`
	AssetID  string `gorm:"index:safety_of_asset"`
	Outcome  SafetyOutcome
	Note     string
	At       time.Time // when it was written down
	By       string
	Done     *time.Time // the day it was done
}

// SafetyOutcome is what became of a device under a notice.
type SafetyOutcome string

// The outcomes. Open takes an earlier one back.
const (
	SafetyOpen SafetyOutcome = "open"
	SafetyDone SafetyOutcome = "done"
	SafetyNot  SafetyOutcome = "does not apply"
)

// SafetyNotices are all of them, the open ones first, then the latest. They are only read.
func (l *Ledger) SafetyNotices() ([]SafetyNotice, error) {
	return RememberRecords(l, "safety notices", func() ([]SafetyNotice, error) {
		return many[SafetyNotice](l.read.Order("closed IS NOT NULL, dated DESC, id"))
	})
}

// SafetyNotice is one of them.
func (l *Ledger) SafetyNotice(id string) (SafetyNotice, error) {
	return one[SafetyNotice](l.read.Where("id = ?", id))
}

// SafetyDevices are what became of devices under some notices.
func (l *Ledger) SafetyDevices(notices ...string) ([]SafetyDevice, error) {
	return many[SafetyDevice](l.read.Where("notice_id IN ?", notices))
}

// AssetsOfMaker are the devices of a maker that are on the register, whatever their models, each as far as a list shows it.
func (l *Ledger) AssetsOfMaker(maker string) ([]Asset, error) {
	return many[Asset](l.read.Model(&Asset{}).Select(listedColumns).Where("maker = ? COLLATE NOCASE AND status <> ?", maker, Gone).Order("tag"))
}
