package cli

// cooked is false where that cannot be determined.
func cooked(int) bool { return false }
