package companion

const (
	sysSignalFD    = 289 // signalfd4
	sysSeccomp     = 317
	sysMemfdCreate = 319
	sysCloseRange  = 436
)
