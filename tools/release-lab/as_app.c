// as_app FOLDER PROGRAM WORD...: runs a program in a bare folder, by the rules under which Android runs apps: as nobody in particular, without
// hard links, without netlink sockets, and ended by any of the newer system calls that its filter does not know.
#include <errno.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <stddef.h>
#include <stdio.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <unistd.h>

#define LOAD(field) BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, field))
#define IF_THEN(number, action) BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, number, 0, 1), BPF_STMT(BPF_RET | BPF_K, action)
#define REFUSED (SECCOMP_RET_ERRNO | EACCES)

int main(int count, char **words) {
  if (count < 3) return 2;
  struct sock_filter rules[] = {
      LOAD(arch),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, AUDIT_ARCH_X86_64, 1, 0),
      BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_KILL_PROCESS),
      LOAD(nr),
      IF_THEN(__NR_link, REFUSED),
      IF_THEN(__NR_linkat, REFUSED),
      IF_THEN(__NR_clone3, SECCOMP_RET_KILL_PROCESS),
      IF_THEN(334 /* rseq */, SECCOMP_RET_KILL_PROCESS),
      IF_THEN(437 /* openat2 */, SECCOMP_RET_KILL_PROCESS),
      IF_THEN(441 /* epoll_pwait2 */, SECCOMP_RET_KILL_PROCESS),
      IF_THEN(425 /* io_uring_setup */, SECCOMP_RET_KILL_PROCESS),
      IF_THEN(436 /* close_range */, SECCOMP_RET_KILL_PROCESS),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, __NR_socket, 0, 3),
      LOAD(args[0]),
      IF_THEN(AF_NETLINK, REFUSED),
      BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
  };
  struct sock_fprog filter = {sizeof rules / sizeof *rules, rules};
  if (chroot(words[1]) || chdir("/") || setgid(10123) || setuid(10123) || prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) ||
      prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &filter)) {
    perror("as_app");
    return 1;
  }
  execv(words[2], words + 2);
  perror("as_app: exec");
  return 1;
}
