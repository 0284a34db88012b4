package companion

const (
	sysSeccomp     = 277
	sysMemfdCreate = 279
)
