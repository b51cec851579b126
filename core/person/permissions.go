package person

import "slices"

// Action is something that a role may or may not do.
type Action string

const (
	Public            Action = "public" // without signing in
	Look              Action = "look"
	WorkRuns          Action = "work runs"
	DriveSimulated    Action = "drive simulated devices"
	Review            Action = "review runs"
	UseUnfit          Action = "use a standard that is not in order"
	SkipLeadSteps     Action = "leave out what only a lead may leave out"
	ReviseCertificate Action = "issue a certificate anew"
	EnterDevices      Action = "enter devices"
	CorrectDevices    Action = "correct and move devices"
	RetireDevices     Action = "retire devices"
	NoteEvents        Action = "note events of a device"
	KeepFiles         Action = "keep files"
	NoteDone          Action = "note what was done"
	CountUse          Action = "count use"
	PutOff            Action = "put off"
	Replan            Action = "re-plan"
	RecordControls    Action = "record controls"
	EnterLots         Action = "enter lots"
	ReadGauges        Action = "read gauges"
	KeepReferences    Action = "keep references"
	CheckReferences   Action = "check references"
	KeepInstruments   Action = "keep instruments"
	TryInstruments    Action = "try instruments"
	OpenLookBacks     Action = "open look-backs"
	SendNotices       Action = "send notices"
	CloseLookBacks    Action = "close look-backs"
	DraftProcedures   Action = "draft procedures"
	ReleaseProcedures Action = "release procedures"
	SetRules          Action = "set rules"
	SetIntervals      Action = "set intervals"
	SetCorrections    Action = "set corrections"
	SetPrices         Action = "set prices"
	SetHours          Action = "set hours"
	PlanOwnRound      Action = "plan the own round"
	PlanOthersRounds  Action = "plan others' rounds"
	LevelYear         Action = "level the year"
	StopSequences     Action = "stop others' sequences"
	LookHouse         Action = "look at the house"
	OwnAccount        Action = "keep the own account"
	MakeTokens        Action = "make tokens for programs"
	Import            Action = "import"
	TakeRuns          Action = "take runs in"
	KeepPeople        Action = "keep people"
	NameCompetence    Action = "name who may do what alone"
	Backup            Action = "back up"
	Restore           Action = "restore"
	CheckRecord       Action = "check the record"
	HandOutPacks      Action = "hand out packs"
	KeepContacts      Action = "keep who is told"
	KeepSafety        Action = "keep safety notices"
)

// Permission says who may do something, and what anyone else is told.
type Permission struct {
	Action  Action `json:"action"`
	Roles   []Role `json:"roles"`
	Refusal string `json:"refusal"` // what anyone else is told
}

// Permissions is who may do what: the only place where a role is asked for.
var Permissions = []Permission{
	{Public, Roles, ""},
	{Look, []Role{Trainee, Technician, Lead, Manager},
		"Devices, runs and lists are read by the people of the workshop: an administrator keeps accounts and copies."},
	{WorkRuns, []Role{Trainee, Technician, Lead},
		"Runs are made by technicians, trainees and leads; a manager reads them."},
	{DriveSimulated, []Role{Technician, Lead},
		"Simulated devices are worked by technicians and leads; a trainee drives an instrument by a step of the run."},
	{Review, []Role{Lead}, "Only a lead reviews a run."},
	{UseUnfit, []Role{Lead}, "Only a lead may allow it, for as-found readings only."},
	{SkipLeadSteps, []Role{Lead}, "Only a lead may go on without it, with a reason."},
	{ReviseCertificate, []Role{Lead}, "Only a lead issues a certificate anew."},
	{EnterDevices, []Role{Technician, Lead}, "Devices are entered by a technician or a lead."},
	{CorrectDevices, []Role{Technician, Lead}, "Devices are corrected, moved and lent by a technician or a lead."},
	{RetireDevices, []Role{Lead}, "A device is taken off the register for good by a lead."},
	{NoteEvents, []Role{Trainee, Technician, Lead}, "Events are noted by technicians, trainees and leads."},
	{KeepFiles, []Role{Technician, Lead}, "Documents and pictures are kept by a technician or a lead."},
	{NoteDone, []Role{Technician, Lead}, "A technician or a lead notes what was done."},
	{CountUse, []Role{Trainee, Technician, Lead}, "Use is counted at the device, by a technician, trainee or lead."},
	{PutOff, []Role{Technician, Lead, Manager}, "A trainee puts nothing off: ask a technician."},
	{Replan, []Role{Lead, Manager},
		"Only a lead or a manager moves a due day; a technician can put it off, with a reason."},
	{RecordControls, []Role{Trainee, Technician, Lead}, "Controls are recorded by technicians, trainees and leads."},
	{EnterLots, []Role{Technician, Lead}, "Lots are entered by a technician or a lead."},
	{ReadGauges, []Role{Trainee, Technician, Lead},
		"A manager reads the gas book; technicians, trainees and leads write it."},
	{KeepReferences, []Role{Lead}, "The references are the lead's: ask a lead to change this."},
	{CheckReferences, []Role{Technician, Lead}, "References are checked by technicians and leads."},
	{KeepInstruments, []Role{Lead}, "How an instrument is connected is the lead's to say: ask a lead to change this."},
	{TryInstruments, []Role{Technician, Lead}, "Instruments are tried by technicians and leads."},
	{OpenLookBacks, []Role{Lead}, "A look-back on a reference is opened by a lead."},
	{SendNotices, []Role{Technician, Lead, Manager},
		"Notices are sent, and answers taken, by technicians, leads and managers."},
	{CloseLookBacks, []Role{Lead, Manager}, "A look-back is closed by a lead or a manager."},
	{DraftProcedures, []Role{Technician, Lead}, "Procedures are drafted by technicians and leads."},
	{ReleaseProcedures, []Role{Lead}, "A procedure is released by a lead who did not write it."},
	{SetRules, []Role{Lead}, "How the lab judges is the lead's to say."},
	{SetCorrections, []Role{Lead}, "A correction factor is set by a lead, with its comparison."},
	{SetIntervals, []Role{Lead},
		"Intervals are the lead's: the recommendation is there for everyone to see, and a lead accepts it."},
	{SetPrices, []Role{Lead, Manager}, "Prices are set by a lead or a manager."},
	{SetHours, []Role{Lead, Manager}, "Places and hours are set by a lead or a manager."},
	{PlanOwnRound, []Role{Trainee, Technician, Lead, Manager}, "Rounds are planned by the people of the workshop."},
	{PlanOthersRounds, []Role{Lead, Manager}, "You plan your own round; a lead or a manager plans those of others."},
	{LevelYear, []Role{Lead, Manager}, "The year is levelled by a lead or a manager."},
	{StopSequences, []Role{Lead}, "Whoever had the points read by themselves, or a lead, stops that."},
	{OwnAccount, PeopleRoles, "Sign in as a person first."},
	{MakeTokens, []Role{Lead, Administrator}, "Tokens for programs are made by a lead or an administrator."},
	{Import, []Role{Lead}, "Lists are imported by a lead."},
	{TakeRuns, []Role{Lead}, "A lead takes runs in from outside."},
	{KeepPeople, []Role{Administrator}, "People are registered by an administrator, who makes no runs and signs nothing."},
	{LookHouse, PeopleRoles, "How the workshop is set up is read by its people."},
	{NameCompetence, []Role{Lead}, "Who may do which devices alone is the lead's to say."},
	{Backup, []Role{Lead, Administrator}, "Copies of the record are made by a lead or an administrator."},
	{Restore, []Role{Lead, Administrator}, "A copy is put back by a lead or an administrator."},
	{KeepContacts, []Role{Lead, Manager}, "Who outside is told of which devices is set by a lead or a manager."},
	{KeepSafety, []Role{Lead}, "Safety notices are entered and closed by a lead."},
	{HandOutPacks, []Role{Lead, Manager}, "What an inspector asks to see is put together by a lead or a manager."},
	{CheckRecord, []Role{Trainee, Technician, Lead, Manager, Administrator},
		"The record is checked by people who are signed in."},
}

var byAction = func() map[Action]Permission {
	all := map[Action]Permission{}
	for _, p := range Permissions {
		all[p.Action] = p
	}
	return all
}()

// Can reports whether a role may do something. Nobody may do what stands in no row.
func Can(role Role, a Action) bool { return slices.Contains(byAction[a].Roles, role) }

// RefusalOf is what someone is told who may not do something.
func RefusalOf(a Action) string { return byAction[a].Refusal }

// Cans lists what a role may do, in the table's order.
func Cans(role Role) []Action {
	all := []Action{}
	for _, p := range Permissions {
		if slices.Contains(p.Roles, role) {
			all = append(all, p.Action)
		}
	}
	return all
}
