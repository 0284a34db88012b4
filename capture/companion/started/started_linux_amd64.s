#include "textflag.h"

// The program begins here if it is linked with -E _endroit_start: it notes which signals
// it was started to ignore, before Go's runtime sets handlers of its own for most of them.
TEXT _endroit_start(SB),NOSPLIT|NOFRAME,$0
	SUBQ $64, SP
	MOVQ $1, BX
next:
	MOVQ $13, AX // rt_sigaction(signal, 0, &action, 8)
	MOVQ BX, DI
	XORL SI, SI
	LEAQ 16(SP), DX
	MOVQ $8, R10
	SYSCALL
	TESTQ AX, AX
	JNE other
	CMPQ 16(SP), $1 // SIG_IGN
	JNE other
	LEAQ -1(BX), CX
	MOVL $1, AX
	SHLQ CX, AX
	ORQ AX, ·ignored(SB)
other:
	INCQ BX
	CMPQ BX, $64
	JLE next
	ADDQ $64, SP
	JMP _rt0_amd64_linux(SB)

// func openFiles(into *limit)
TEXT ·openFiles(SB),NOSPLIT,$0-8
	MOVQ $302, AX // prlimit64(0, RLIMIT_NOFILE, 0, into)
	XORL DI, DI
	MOVQ $7, SI
	XORL DX, DX
	MOVQ into+0(FP), R10
	SYSCALL
	RET
