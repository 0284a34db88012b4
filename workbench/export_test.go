package workbench

// Key is what lets one in.
func (b *Workbench) Key() string { return b.key }
