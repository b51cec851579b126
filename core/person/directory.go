package person

import (
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
)

// Directory is how people of the hospital's directory sign in here: by OpenID Connect Core 1.0, with the code flow and PKCE
// (RFC 7636). Their role is what their groups give.
type Directory struct {
	Name       string      `yaml:"name"`                  // as the sign-in page calls it
	Issuer     string      `yaml:"issuer"`                // its address; under it lies /.well-known/openid-configuration
	Client     string      `yaml:"client"`                // what this server is called there
	SecretFile string      `yaml:"secret_file,omitempty"` // file that holds the client's secret; empty: it has none
	Address    string      `yaml:"address"`               // at which browsers reach this server
	Claim      string      `yaml:"groups_claim,omitempty"`
	Scopes     []string    `yaml:"scopes,omitempty"` // asked for besides openid and profile
	Roles      []GroupRole `yaml:"roles"`            // the first that fits counts
}

// GroupRole is the role that a group of the directory gives.
type GroupRole struct {
	Group string `yaml:"group"`
	Role  Role   `yaml:"role"`
}

// Return is the path at this server that the directory sends people back to; it is registered there.
const Return = "/sign-in/directory/back"

// RoleOf is the role of somebody in these groups; false where no group gives one.
func (d Directory) RoleOf(groups []string) (Role, bool) {
	for _, r := range d.Roles {
		if slices.Contains(groups, r.Group) {
			return r.Role, true
		}
	}
	return "", false
}

// Check names what is missing, or cannot be.
func (d Directory) Check() error {
	var all []error
	for field, text := range map[string]string{"name": d.Name, "client": d.Client} {
		if strings.TrimSpace(text) == "" {
			all = append(all, fmt.Errorf("%s: it is missing", field))
		}
	}
	for field, address := range map[string]string{"issuer": d.Issuer, "address": d.Address} {
		u, err := url.Parse(address)
		switch {
		case err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http":
			all = append(all, fmt.Errorf("%s: “%s” is no address: it begins with https://", field, address))
		case u.Scheme == "http" && u.Hostname() != "localhost" && u.Hostname() != "127.0.0.1":
			all = append(all, fmt.Errorf("%s: “%s” is not encrypted: it begins with https://", field, address))
		case strings.HasSuffix(address, "/"):
			all = append(all, fmt.Errorf("%s: leave the / at the end out", field))
		}
	}
	if len(d.Roles) == 0 {
		all = append(all, errors.New("roles: without any nobody may sign in"))
	}
	for i, r := range d.Roles {
		if r.Group == "" || !slices.Contains(PeopleRoles, r.Role) {
			all = append(all,
				fmt.Errorf("roles[%d]: it needs a group, and the role trainee, technician, lead, manager or administrator", i))
		}
	}
	slices.SortFunc(all, func(a, b error) int { return strings.Compare(a.Error(), b.Error()) })
	return errors.Join(all...)
}
