# Functions to play a game by keys, in a terminal or a window. A game's drive sources it:
#
#   . "$(dirname "$0")/../play.sh"
#   play_init NAME "$@"           # sets H (the game's home) and WRAP (the observer's command)
#   tty_start COLS ROWS CMD...   # terminal game in a private tmux server
#   x_start WxH ; x_run CMD...   # graphical game in a private Xvfb
#   k / t / see / must / ended   # keys, literal text, wait for text, end
#
# Everything the drive itself makes (tmux socket, Xvfb log, captures) is in
# $SCRATCH, a mktemp folder below /tmp/play-run.*, removed at the end
# unless PLAY_KEEP is set.  PLAY_CAP=DIR keeps captures in DIR.

set -u
PHASE="${PHASE:-}"
PLAY_LIMIT="${PLAY_LIMIT:-75}"         # hard stop for one session, seconds

say()  { echo "[$PLAY_NAME] $*" >&2; }
fail() { say "FAIL: $*"; cap "fail" || true; exit 1; }

play_init() {
  PLAY_NAME=$1; shift
  [ $# -ge 1 ] || { echo "usage: drive.sh HOME_DIR [WRAP...]" >&2; exit 2; }
  mkdir -p "$1" || exit 2
  H=$(cd "$1" && pwd); shift
  WRAP=("$@")
  SCRATCH=$(mktemp -d "/tmp/play-run.$PLAY_NAME.XXXXXX")
  CAPDIR="${PLAY_CAP:-$SCRATCH}"; mkdir -p "$CAPDIR"
  SOCK="$SCRATCH/tmux.sock"
  SHOWN=; TTY_UP=; XPID=; GPID=; DBPID=; WMPID=; DOG=; SESSION_NO=${PHASE:-0}; PLAY_T0=$SECONDS
  DRIVE_CWD="${DRIVE_CWD:-$H}"
  for v in $(env | sed -n 's/^\(XDG_[A-Z_]*\)=.*/\1/p'); do unset "$v"; done
  unset TMUX TMUX_PANE DBUS_SESSION_BUS_ADDRESS WAYLAND_DISPLAY DISPLAY
  export HOME="$H" LANG=C.UTF-8 LC_ALL=C.UTF-8
  export PATH="$PATH:/usr/games:/usr/local/games"
  trap 'play_cleanup' EXIT
  trap 'say "FAIL: time limit or signal"; cap limit || true; exit 1' TERM INT
}

dog_start() {   # one watchdog for each session
  dog_stop
  local me=$$
  ( exec >/dev/null 2>&1 </dev/null; sleep "$PLAY_LIMIT" && kill -TERM "$me" ) &
  DOG=$!
}
dog_stop() {
  if [ -n "$DOG" ]; then
    local kid
    for kid in $(cat "/proc/$DOG/task/$DOG/children" 2>/dev/null); do kill "$kid" 2>/dev/null; done
    kill "$DOG" 2>/dev/null; wait "$DOG" 2>/dev/null
  fi
  DOG=
}

play_cleanup() {
  local rc=$?
  trap - EXIT TERM INT
  dog_stop
  [ -n "$TTY_UP" ] && tmux -S "$SOCK" kill-server 2>/dev/null
  x_stop
  [ -n "${PLAY_KEEP:-}" ] || rm -rf "$SCRATCH"
  [ $rc = 0 ] && say "ok"
  exit $rc
}

# a script that runs the game, WRAP put directly in front of its command
write_run() {
  rm -f "$SCRATCH/rc" "$SCRATCH/run.sh"
  {
    echo '#!/bin/bash'
    printf 'cd %q || exit 99\n' "$DRIVE_CWD"
    [ -n "${GAME_TERM:-}" ] && printf 'export TERM=%q\n' "$GAME_TERM"
    [ ${#WRAP[@]} -gt 0 ] && printf '%q ' "${WRAP[@]}"
    printf '%q ' "$@"; echo
    printf 'echo $? > %q\n' "$SCRATCH/rc"
  } > "$SCRATCH/run.sh"
  chmod +x "$SCRATCH/run.sh"
}

# ---------------------------------------------------------------- terminal
tty_start() {
  local c=$1 r=$2; shift 2
  write_run "$@"
  dog_start
  # the server starts with no shell of its own; the pane stays on death so
  # that the last screen can still be read
  # (TMUX_TMPDIR and -S keep it off everyone else's tmux)
  tmux -S "$SOCK" -f /dev/null new-session -d -s g -x "$c" -y "$r" "exec $SCRATCH/run.sh" \; \
    set -g remain-on-exit on \; set -g status off \; set -g escape-time 0 \
    || fail "tmux did not start"
  TTY_UP=1
  sleep 0.5
  [ "$PHASE" != look ] || looked
}
k()   { local x; for x in "$@"; do tmux -S "$SOCK" send-keys -t g "$x"; sleep "${KD:-0.15}"; done; }
t()   { tmux -S "$SOCK" send-keys -t g -l -- "$1"; sleep "${KD:-0.15}"; }
pane() { tmux -S "$SOCK" capture-pane -p "$@" -t g 2>/dev/null; }   # -e: with colours
see() {   # see REGEX [SECONDS]
  local n=$(( ${2:-8} * 5 )) i
  for ((i=0; i<n; i++)); do pane | grep -Eq -- "$1" && return 0; sleep 0.2; done
  return 1
}
must() { see "$@" || fail "never saw /$1/ on the screen"; }
tty_end() { [ -n "$TTY_UP" ] && tmux -S "$SOCK" kill-server 2>/dev/null; TTY_UP=; dog_stop; }

# ---------------------------------------------------------------- graphical
x_start() {   # x_start [WIDTHxHEIGHT]
  local size="${1:-1024x768}"
  rm -f "$SCRATCH/dpy"
  Xvfb -displayfd 3 -screen 0 "${size}x24" -nolisten tcp +extension GLX +render \
     3>"$SCRATCH/dpy" >"$SCRATCH/xvfb.log" 2>&1 </dev/null &
  XPID=$!
  local i; for ((i=0; i<50; i++)); do [ -s "$SCRATCH/dpy" ] && break; sleep 0.1; done
  [ -s "$SCRATCH/dpy" ] || fail "Xvfb did not start"
  export DISPLAY=":$(cat "$SCRATCH/dpy")"
  # no session bus unless dbus_start makes one (else libdbus may start its own)
  export DBUS_SESSION_BUS_ADDRESS="unix:path=$SCRATCH/nobus"
  export SDL_AUDIODRIVER=dummy LIBGL_ALWAYS_SOFTWARE=1 ALSOFT_DRIVERS=null
}
dbus_start() {  # a private session bus, outside the wrap, same HOME
  dbus-daemon --session --nofork --nopidfile --address="unix:path=$SCRATCH/bus" \
     --print-address=3 3>"$SCRATCH/busaddr" >"$SCRATCH/dbus.log" 2>&1 </dev/null &
  DBPID=$!
  local i; for ((i=0; i<50; i++)); do [ -s "$SCRATCH/busaddr" ] && break; sleep 0.1; done
  export DBUS_SESSION_BUS_ADDRESS="unix:path=$SCRATCH/bus"
}
wm_start() { # a small window manager, when a game needs focus; its own HOME
  mkdir -p "$SCRATCH/wmhome"
  HOME="$SCRATCH/wmhome" openbox >"$SCRATCH/wm.log" 2>&1 </dev/null &
  WMPID=$!; sleep 0.5
}
x_run() {
  write_run "$@"
  dog_start
  setsid "$SCRATCH/run.sh" >"$SCRATCH/game.log" 2>&1 </dev/null &
  GPID=$!
  [ "$PHASE" != look ] || looked
}
# PHASE=look: what the game shows when it has started is kept as look.txt or look.png in its
# home, and it is ended. A drive can define look_keys, which lead to where its progress shows,
# and look_settings, which lead to where its settings show (LOOK_AT=settings), and LOOK_CROP,
# the part of the screen that counts, as WxH+X+Y (or several, by shows), or LOOK_LINES, the lines that count, as a
# pattern: what moves elsewhere, or is drawn by lot, says nothing. look_refused says whether the
# game refuses its files.
looked() {
  rm -f "$H/look.txt" "$H/look.png" "$H/look.refused"
  [ -n "$TTY_UP" ] || x_up
  sleep "${LOOK_WAIT:-3}"
  local keys=look_keys
  [ "${LOOK_AT:-}" != settings ] || keys=look_settings
  [ "$(type -t $keys)" != function ] || $keys
  [ "$(type -t look_refused)" != function ] || ! look_refused || : > "$H/look.refused"
  [ -n "$TTY_UP" ] || x_alive || : > "$H/look.refused"  # it broke off
  if [ -n "$TTY_UP" ]; then
    pane -e | grep -v "^Pane is dead" | grep -E "${LOOK_LINES:-}" > "$H/look.txt"; tty_end
  elif [ -n "$SHOWN" ]; then
    magick $(seq -f "$SCRATCH/shows-%g.png" "$SHOWN") -append "$H/look.png"; x_end
  else
    xstill "$H/look.png" "${LOOK_CROP:-}"; x_end
  fi
  exit 0
}
x_up() {  # wait until the game shows a window: how long it takes to start says nothing
  local i; for ((i=0; i<50; i++)); do
    [ -n "$(xdotool search --onlyvisible --class . 2>/dev/null)" ] && return
    x_alive || return; sleep 0.2
  done
}
# shows WxH+X+Y: one of several parts of the screen that count, as it is now; below the ones before
shows() {
  xstill "$SCRATCH/shows-$((++SHOWN)).png" "$1"
}
pixel() { import -window root -crop "1x1+$1+$2" -depth 8 rgb:- 2>/dev/null | od -An -tx1; }  # its colour
# what holds still in five screens: of each point the value in the middle
xstill() {
  local i; for i in 1 2 3 4 5; do xshot "$SCRATCH/still-$i.png" "${2:-}"; sleep 0.4; done
  magick "$SCRATCH"/still-?.png -evaluate-sequence median "$1"
}
magick() { "$(dirname "$(command -v import)")/convert" "$@" || fail "no picture"; }  # that of the same package
x_alive() { [ ! -e "$SCRATCH/rc" ] && kill -0 "$GPID" 2>/dev/null; }
win() {   # win NAME-REGEX [SECONDS]: wait for a window, sets WID
  local n=$(( ${2:-20} * 5 )) i
  for ((i=0; i<n; i++)); do
    WID=$(xdotool search --onlyvisible --name "$1" 2>/dev/null | tail -1)
    [ -n "$WID" ] && return 0
    x_alive || fail "the game ended by itself: $(tail -3 "$SCRATCH/game.log" | tr '\n' '|')"
    sleep 0.2
  done
  fail "no window /$1/"
}
xk() { local x; for x in "$@"; do xdotool key --clearmodifiers "$x"; sleep "${KD:-0.2}"; done; }
xhold() { xdotool keydown "$1"; sleep "$2"; xdotool keyup "$1"; sleep 0.1; }
xt() { xdotool type --delay 60 -- "$1"; sleep 0.2; }
xc() { xdotool mousemove "$1" "$2"; sleep 0.25; xdotool click "${3:-1}"; sleep "${KD:-0.3}"; }
xshot() { import -window root ${2:+-crop "$2" +repage} "$1" 2>/dev/null; }
# wait until the screen differs from its look at the last call of `mark`
screen_sum() { import -window root -depth 8 rgb:- 2>/dev/null | md5sum | cut -c1-32; }
x_end() {
  if [ -n "$GPID" ]; then
    [ -e "$SCRATCH/rc" ] || { kill -TERM -- "-$GPID" 2>/dev/null; sleep 1; kill -KILL -- "-$GPID" 2>/dev/null; }
    wait "$GPID" 2>/dev/null
  fi
  GPID=; dog_stop
}
x_stop() {
  x_end
  [ -n "$WMPID" ] && { kill "$WMPID" 2>/dev/null; wait "$WMPID" 2>/dev/null; }
  [ -n "$DBPID" ] && { sleep 0.5; kill "$DBPID" 2>/dev/null; wait "$DBPID" 2>/dev/null; }
  [ -n "$XPID" ] && { kill "$XPID" 2>/dev/null; wait "$XPID" 2>/dev/null; }
  WMPID=; DBPID=; XPID=
}

# ---------------------------------------------------------------- both
# wait for the game (with its wrapper) to have ended by itself
ended() {
  local n=$(( ${1:-10} * 5 )) i
  for ((i=0; i<n; i++)); do [ -s "$SCRATCH/rc" ] && break; sleep 0.2; done
  [ -s "$SCRATCH/rc" ] || return 1
  RC=$(cat "$SCRATCH/rc"); say "session $SESSION_NO ended, exit $RC, $((SECONDS-PLAY_T0)) s"
  return 0
}
# presses keys again and again until the game has ended
keys_to_end() { local n; for n in $(seq 15); do k "$@"; [ -s "$SCRATCH/rc" ] && break; sleep 0.5; done; must_end 5; }
must_end() { ended "$@" || fail "the game did not end"; }
cap() {   # keep the screen as evidence, under the given name
  local f="$CAPDIR/$PLAY_NAME.s$SESSION_NO.$1"
  if [ -n "$TTY_UP" ]; then pane > "$f.txt"; elif [ -n "$XPID" ]; then xshot "$f.png"; fi
}
must_file() { local f; for f in "$@"; do [ -s "$f" ] || fail "no file $f"; done; }
# newer FILE: changed since the stamp made by `stamp`
stamp() { : > "$SCRATCH/stamp"; sleep 0.05; }
must_newer() { local f; for f in "$@"; do [ "$f" -nt "$SCRATCH/stamp" ] || fail "$f not written in this session"; done; }
