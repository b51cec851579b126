package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerWorkings(api huma.API, shop *workshop.Workshop) {
	working(api, "gas", "Convert a gas volume or flow between conditions", workshop.ConvertGas)
	working(api, "budget", "Combine an uncertainty budget", workshop.ComputeBudget)
	working(api, "tolerance", "Hold an error against a tolerance", workshop.ExpandTolerance)
	working(api, "anatomy", "Take pasted errors apart", workshop.DecomposeErrors)
	working(api, "correction", "Take a meter's dead space and gain out of a reading", workshop.ApplyCorrection)
	working(api, "cylinder", "What a cylinder holds", workshop.ComputeCylinder)
	working(api, "weighing", "What a pump delivered onto a balance", workshop.ComputeWeighing)
	working(api, "weights", "The best weights of a kit, and the limits of a scale", workshop.CombineWeights)
	working(api, "dilution", "Plan the levels of a calibrator", workshop.ComputeDilution)
	working(api, "concentration", "Concentrations by mass and by amount", workshop.ComputeConcentration)
	working(api, "comparison", "Compare two methods", workshop.CompareMethods)
	working(api, "economics", "Accredited, in house, or replace", workshop.ComputeEconomics)
}

// working registers one calculator: an input in, a result out, nothing recorded.
func working[I, O any](api huma.API, name, summary string, compute func(I) (O, error)) {
	serve(api, operation{"working-" + name, http.MethodPost, "/api/workings/" + name, summary, person.Look, 0, nil},
		func(_ context.Context, in *struct{ Body I }) (O, error) { return compute(in.Body) })
}
