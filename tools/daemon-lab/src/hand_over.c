// A program of the device: hands its name and words over to the simulated Android at /phone/android.sock and does what
// comes back. To the socket: u32 length (little-endian), then the words, each with a zero byte. From it: frames as
// `shell,v2` has them, u8 id (1 output, 2 errors, 3 exit code), u32 length, data. Static, without anything of Android.
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

static void fail(const char *what) { dprintf(2, "hand_over: %s\n", what); _exit(126); }

static void all(int to, const char *p, size_t n) {
  while (n) { ssize_t w = write(to, p, n); if (w <= 0) _exit(125); p += w; n -= (size_t)w; }
}

static int exactly(int from, void *to, size_t n) {
  for (char *p = to; n;) { ssize_t r = read(from, p, n); if (r <= 0) return 0; p += r; n -= (size_t)r; }
  return 1;
}

int main(int argc, char **argv) {
  struct sockaddr_un at = {.sun_family = AF_UNIX, .sun_path = "/phone/android.sock"};
  int s = socket(AF_UNIX, SOCK_STREAM, 0);
  if (s < 0 || connect(s, (struct sockaddr *)&at, sizeof at)) fail("nobody answers at /phone/android.sock");
  char *name = strrchr(argv[0], '/');
  if (name) argv[0] = name + 1;
  uint32_t length = 0;
  for (int i = 0; i < argc; i++) length += (uint32_t)strlen(argv[i]) + 1;
  all(s, (char *)&length, 4);
  for (int i = 0; i < argc; i++) all(s, argv[i], strlen(argv[i]) + 1);
  static char data[65536];
  for (;;) {
    unsigned char head[5];
    uint32_t n;
    if (!exactly(s, head, 5)) fail("the answer was cut short");
    memcpy(&n, head + 1, 4);
    if (head[0] == 3) return exactly(s, data, 1) ? (unsigned char)data[0] : 126;
    while (n) {
      size_t take = n < sizeof data ? n : sizeof data;
      if (!exactly(s, data, take)) fail("the answer was cut short");
      all(head[0] == 2 ? 2 : 1, data, take);
      n -= (uint32_t)take;
    }
  }
}
