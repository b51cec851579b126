package person

// PersonRole is what a person may do.
type PersonRole string

const (
	Trainee    PersonRole = "trainee"
	Technician PersonRole = "technician"
	Lead       PersonRole = "lead"
	Manager    PersonRole = "manager"
)

// Person is who did something.
type Person struct {
	ID   string     `json:"id"`
	Name string     `json:"name"`
	Role PersonRole `json:"role"`
}
