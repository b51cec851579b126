package api

import (
	"reflect"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/control"
	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/economics"
	"northneedle/core/fit"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/core/uncertainty"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// words are the values that a type of words can have, so that the description of the API names them.
// A test holds each list to the constants of its type.
var words = map[reflect.Type][]any{
	reflect.TypeFor[adjust.Decision](): {adjust.Leave, adjust.Adjust, adjust.Investigate, adjust.Withdraw},
	reflect.TypeFor[adjust.Kind](): {adjust.Offset, adjust.Gain, adjust.Factor, adjust.Table, adjust.Zone,
		adjust.Routine},
	reflect.TypeFor[adjust.School]():       {adjust.Threshold, adjust.Nominal, adjust.MeasureOnly, adjust.Calendar},
	reflect.TypeFor[conformity.RuleKind](): {conformity.Simple, conformity.Guarded, conformity.Risk},
	reflect.TypeFor[conformity.Zone](): {conformity.Inside, conformity.InsideDoubtful, conformity.OutsideDoubtful,
		conformity.Outside},
	reflect.TypeFor[control.Rule](): {control.R12s, control.R13s, control.R22s, control.R4s, control.R41s,
		control.R10x},
	reflect.TypeFor[duty.Event](): {duty.Repair, duty.Fall, duty.FailedCheck, duty.NewSensor, duty.Moved,
		duty.SealBroken, duty.NewLot, duty.NewTubing, duty.NewSoftware},
	reflect.TypeFor[duty.Status]():   {duty.Valid, duty.Expiring, duty.Expired, duty.Invalid, duty.Never},
	reflect.TypeFor[economics.Use](): {economics.Reference, economics.Decision, economics.Indication},
	reflect.TypeFor[fit.Shape](): {fit.NoError, fit.Offset, fit.Gain, fit.Both, fit.Bent, fit.Hysteresis, fit.Scatter,
		fit.Unknown},
	reflect.TypeFor[instrument.State](): {instrument.Connecting, instrument.Alive, instrument.Silent,
		instrument.Garbled, instrument.Lost},
	reflect.TypeFor[paper.Finding]():        {paper.Genuine, paper.Rewritten, paper.Altered, paper.NotOurs},
	reflect.TypeFor[ledger.FaultOutcome]():  {ledger.NothingFound, ledger.Mended, ledger.Withdrawn},
	reflect.TypeFor[ledger.LetterKind]():    {ledger.NoticeLetter, ledger.DigestLetter, ledger.ReviewLetter, ledger.LinkLetter},
	reflect.TypeFor[ledger.SafetyOutcome](): {ledger.SafetyOpen, ledger.SafetyDone, ledger.SafetyNot},
	reflect.TypeFor[workshop.MayUse]():      {workshop.MayYes, workshop.MayAsk, workshop.MayNo, workshop.MayAway},
	reflect.TypeFor[person.Ground]():        {person.Statement, person.Examination, person.Imported},
	reflect.TypeFor[run.Meaning]():          {run.Performed, run.Agreed, run.Reissued, run.Approved},
	reflect.TypeFor[workshop.Standing]():    {workshop.Stands, workshop.CountsNo, workshop.Unknown, workshop.HeldBack},
	reflect.TypeFor[person.Role](): {person.Trainee, person.Technician, person.Lead, person.Manager,
		person.Administrator, person.Token},
	reflect.TypeFor[procedure.Review](): {procedure.ReviewNever, procedure.ReviewOnFailure, procedure.ReviewAlways},
	reflect.TypeFor[procedure.StepKind](): {procedure.StepBring, procedure.StepCautions, procedure.StepCheck,
		procedure.StepAct, procedure.StepWait, procedure.StepAmbient, procedure.StepRecord, procedure.StepMeasure,
		procedure.StepFinding, procedure.StepSign},
	reflect.TypeFor[run.Answer](): {run.Fine, run.NotFine, run.NA},
	reflect.TypeFor[run.Phase]():  {run.AsFound, run.AsLeft},
	reflect.TypeFor[device.State](): {device.Retired, device.OutOfUse, device.NotToBeUsed, device.InDoubt,
		device.NotEveryTest, device.AwayFrom, device.Overdue, device.Due,
		device.WaitingForReview, device.NotYetAccepted, device.InUse},
	reflect.TypeFor[runview.MatterKind](): {runview.MatterOutside, runview.MatterFailed, runview.MatterLeftOut,
		runview.MatterException,
		runview.MatterCutShort, runview.MatterOverruled, runview.MatterVoided, runview.MatterFarOut, runview.MatterWithdrawn, runview.MatterEarly,
		runview.MatterTyped, runview.MatterChanged},
	reflect.TypeFor[run.Result](): {run.Conforms, run.ConformsSetUp, run.ConformsAdjusted, run.Maintained, run.Fails, run.NotComplete},
	reflect.TypeFor[run.Status](): {run.Open, run.InReview, run.Signed, run.Abandoned},
	reflect.TypeFor[uncertainty.Distribution](): {uncertainty.Normal, uncertainty.Rectangular,
		uncertainty.Triangular, uncertainty.UShaped},
}

// enum stands for a type of words in the description.
type enum[T ~string] string

// Schema names the values of the type.
func (enum[T]) Schema(huma.Registry) *huma.Schema {
	var values []any
	for _, v := range words[reflect.TypeFor[T]()] {
		values = append(values, string(v.(T))) // as it is read from a request
	}
	return &huma.Schema{Type: huma.TypeString, Enum: values}
}

// describe has the description name the values of a type.
func describe[T ~string](r huma.Registry) {
	r.RegisterTypeAlias(reflect.TypeFor[T](), reflect.TypeFor[enum[T]]())
}

// describeWords has the description name the values of every type of words.
func describeWords(r huma.Registry) {
	describe[adjust.Decision](r)
	describe[adjust.Kind](r)
	describe[adjust.School](r)
	describe[conformity.RuleKind](r)
	describe[conformity.Zone](r)
	describe[control.Rule](r)
	describe[device.State](r)
	describe[duty.Event](r)
	describe[duty.Status](r)
	describe[economics.Use](r)
	describe[fit.Shape](r)
	describe[instrument.State](r)
	describe[ledger.LetterKind](r)
	describe[ledger.SafetyOutcome](r)
	describe[paper.Finding](r)
	describe[person.Ground](r)
	describe[person.Role](r)
	describe[procedure.Review](r)
	describe[procedure.StepKind](r)
	describe[run.Answer](r)
	describe[run.Meaning](r)
	describe[run.Phase](r)
	describe[run.Result](r)
	describe[run.Status](r)
	describe[runview.MatterKind](r)
	describe[uncertainty.Distribution](r)
	describe[workshop.MayUse](r)
	describe[workshop.Standing](r)
}
