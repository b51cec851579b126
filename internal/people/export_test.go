package people

// Hashed is how many passwords were hashed at signing in so far.
func (a *Authenticator) Hashed() int64 { return a.hasher.done.Load() }
