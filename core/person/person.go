// Package person says who people are, and who may do what.
package person

// Role is what a person may do, by [Permissions].
type Role string

const (
	Trainee       Role = "trainee"
	Technician    Role = "technician"
	Lead          Role = "lead"
	Manager       Role = "manager"
	Administrator Role = "administrator" // keeps accounts and copies; never signs
	Token         Role = "token"         // a program that reads with a secret
)

// Roles lists every role.
var Roles = []Role{Trainee, Technician, Lead, Manager, Administrator, Token}

// PeopleRoles lists the roles that a person can have.
var PeopleRoles = []Role{Trainee, Technician, Lead, Manager, Administrator}

// Person is who did something.
type Person struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role Role   `json:"role"`
}
