// Package core is the ground floor: the rules of the job and all its computation.
//
// Everything below it is pure. No input or output, no clock, no goroutines, no
// database, no HTTP; the standard library and gonum are the only imports, and
// [TestImports] holds it to that. Time and identity come in as arguments.
package core
