#include "textflag.h"

// The program begins here if it is linked with -E _endroit_start: it notes which signals
// it was started to ignore, before Go's runtime sets handlers of its own for most of them.
TEXT _endroit_start(SB),NOSPLIT|NOFRAME,$0
	SUB $64, RSP
	MOVD $1, R9
	MOVD $0, R10
next:
	MOVD $134, R8 // rt_sigaction(signal, 0, &action, 8)
	MOVD R9, R0
	MOVD $0, R1
	ADD $16, RSP, R2
	MOVD $8, R3
	SVC
	CBNZ R0, other
	MOVD 16(RSP), R4
	CMP $1, R4 // SIG_IGN
	BNE other
	SUB $1, R9, R5
	MOVD $1, R6
	LSL R5, R6
	ORR R6, R10
other:
	ADD $1, R9
	CMP $64, R9
	BLE next
	MOVD R10, ·ignored(SB)
	ADD $64, RSP
	JMP _rt0_arm64_linux(SB)

// func openFiles(into *limit)
TEXT ·openFiles(SB),NOSPLIT,$0-8
	MOVD $261, R8 // prlimit64(0, RLIMIT_NOFILE, 0, into)
	MOVD $0, R0
	MOVD $7, R1
	MOVD $0, R2
	MOVD into+0(FP), R3
	SVC
	RET
