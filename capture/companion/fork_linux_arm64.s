#include "textflag.h"

// func clone(flags, stack uintptr, b *begun, live uintptr) (pid int)
TEXT ·clone(SB),NOSPLIT|NOFRAME,$0-40
	MOVD flags+0(FP), R0
	MOVD stack+8(FP), R1
	MOVD b+16(FP), R9
	MOVD live+24(FP), R10
	MOVD $0, R2
	MOVD $0, R3
	MOVD $0, R4
	MOVD $220, R8 // clone
	SVC
	CBZ R0, begun
	MOVD R0, pid+32(FP)
	RET
begun:
	SUB $32, RSP
	MOVD R9, R0 // as functions of Go's take their first argument
	CALL (R10)
	BRK
