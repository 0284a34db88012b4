package cli

// cooked is false where that cannot be told.
func cooked(int) bool { return false }
