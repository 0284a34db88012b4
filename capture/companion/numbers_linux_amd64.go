package companion

const (
	sysSeccomp     = 317
	sysMemfdCreate = 319
)
