package workbench

// Key is what a page that was let in sends.
func (b *Workbench) Key() string { return b.secret }
