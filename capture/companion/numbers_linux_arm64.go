package companion

const (
	sysSignalFD    = 74 // signalfd4
	sysSeccomp     = 277
	sysMemfdCreate = 279
	sysCloseRange  = 436
)
