/* The least that a supervisor can do, to measure the observer beside it: it receives the
 * calls that open something, reads the path, and lets them go on. seccomp_unotify(2) */
#define _GNU_SOURCE
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <poll.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <sys/wait.h>
#include <unistd.h>

static void give(int to, int fd) {
	char byte = 0, control[CMSG_SPACE(sizeof fd)] = {0};
	struct iovec io = {&byte, 1};
	struct msghdr m = {.msg_iov = &io, .msg_iovlen = 1, .msg_control = control, .msg_controllen = sizeof control};
	struct cmsghdr *c = CMSG_FIRSTHDR(&m);
	c->cmsg_level = SOL_SOCKET, c->cmsg_type = SCM_RIGHTS, c->cmsg_len = CMSG_LEN(sizeof fd);
	memcpy(CMSG_DATA(c), &fd, sizeof fd);
	sendmsg(to, &m, 0);
}

static int take(int from) {
	char byte, control[CMSG_SPACE(sizeof(int))];
	struct iovec io = {&byte, 1};
	struct msghdr m = {.msg_iov = &io, .msg_iovlen = 1, .msg_control = control, .msg_controllen = sizeof control};
	int fd = -1;
	if (recvmsg(from, &m, 0) == 1)
		memcpy(&fd, CMSG_DATA(CMSG_FIRSTHDR(&m)), sizeof fd);
	return fd;
}

int main(int n, char **command) {
	int pair[2], status;
	if (n < 2 || socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, pair))
		return 2;
	pid_t child = fork();
	if (child == 0) {
		struct sock_filter code[] = {
			BPF_STMT(BPF_LD | BPF_W | BPF_ABS, 0),
			BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_openat, 0, 1),
			BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_USER_NOTIF),
			BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW)};
		struct sock_fprog program = {4, code};
		prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
		int fd = syscall(SYS_seccomp, SECCOMP_SET_MODE_FILTER, SECCOMP_FILTER_FLAG_NEW_LISTENER | 1 << 5, &program);
		give(pair[1], fd);
		close(fd);
		execv(command[1], command + 1);
		_exit(127);
	}
	int fd = take(pair[0]);
	ioctl(fd, 0x40082104UL, 1UL); /* SECCOMP_IOCTL_NOTIF_SET_FLAGS, SECCOMP_USER_NOTIF_FD_SYNC_WAKE_UP */
	for (;;) {
		struct seccomp_notif call = {0};
		struct seccomp_notif_resp answer = {.flags = SECCOMP_USER_NOTIF_FLAG_CONTINUE};
		char path[256];
		if (ioctl(fd, SECCOMP_IOCTL_NOTIF_RECV, &call)) {
			struct pollfd p = {fd, POLLIN, 0};
			if (poll(&p, 1, 0) >= 0 && p.revents & POLLHUP)
				break;
			continue;
		}
		struct iovec here = {path, sizeof path}, there = {(void *)call.data.args[1], sizeof path};
		process_vm_readv(call.pid, &here, 1, &there, 1, 0);
		answer.id = call.id;
		ioctl(fd, SECCOMP_IOCTL_NOTIF_SEND, &answer);
	}
	waitpid(child, &status, 0);
	return WIFEXITED(status) ? WEXITSTATUS(status) : 1;
}
