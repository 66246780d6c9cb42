"""End the program at every single system call that changes a file, and see that nothing acknowledged is lost: python tools/kills.py

A small library is put before the C library (gcc makes it), counts such calls within one process, and kills that at the one it
is told. A child opens a workshop, logs entries and names each once it was told it is kept, writes papers and a backup; then
its parent looks at what is there. So for each call from the first to the last, before it and after it was made.
"""

from __future__ import annotations

import ctypes
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

SHIM = r"""
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>
static long left = -1, seen = 0; static int after = 0;
void kills_arm(long at, int late) { left = at; after = late; seen = 0; }
long kills_seen(void) { return seen; }
static void before(void) { seen++; if (left >= 0 && !after && left-- == 0) kill(getpid(), SIGKILL); }
static void done(void) { if (left >= 0 && after && left-- == 0) kill(getpid(), SIGKILL); }
#define WRAP(type, name, parameters, arguments) \
  type name parameters { static type (*real) parameters; if (!real) real = dlsym(RTLD_NEXT, #name); \
    before(); type out = real arguments; done(); return out; }
WRAP(ssize_t, pwrite64, (int f, const void *b, size_t n, off64_t o), (f, b, n, o))
WRAP(ssize_t, pwrite, (int f, const void *b, size_t n, off_t o), (f, b, n, o))
WRAP(ssize_t, write, (int f, const void *b, size_t n), (f, b, n))
WRAP(int, fsync, (int f), (f))
WRAP(int, fdatasync, (int f), (f))
WRAP(int, ftruncate64, (int f, off64_t n), (f, n))
WRAP(int, ftruncate, (int f, off_t n), (f, n))
WRAP(int, rename, (const char *a, const char *b), (a, b))
WRAP(int, renameat, (int c, const char *a, int d, const char *b), (c, a, d, b))
WRAP(int, link, (const char *a, const char *b), (a, b))
WRAP(int, linkat, (int c, const char *a, int d, const char *b, int f), (c, a, d, b, f))
WRAP(int, unlink, (const char *a), (a))
WRAP(int, unlinkat, (int d, const char *a, int f), (d, a, f))
WRAP(int, mkdir, (const char *a, mode_t m), (a, m))
WRAP(int, rmdir, (const char *a), (a))
"""
PAPER = "shopping list"


def shimmed() -> None:
    """Begin again with the library in place."""
    folder = Path(tempfile.mkdtemp(prefix="nuvlo-kills-"))
    (folder / "kills.c").write_text(SHIM)
    subprocess.run(
        ["gcc", "-shared", "-fPIC", "-O1", "-o", folder / "kills.so", folder / "kills.c", "-ldl"], check=True
    )
    os.execve(sys.executable, [sys.executable, *sys.argv], os.environ | {"LD_PRELOAD": str(folder / "kills.so")})


def work(folder: Path, pipe: int) -> None:
    """What a builder does in a minute: each entry is named once it is kept."""
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.files.whole import write_whole
    from nuvlo.logbook import Note
    from nuvlo.workshop.backup import back_up
    from nuvlo.workshop.demo import SHIPPED
    from nuvlo.workshop.workshop import Workshop

    workshop = Workshop(folder / "shop")
    builds = workshop.builds()
    session = workshop.open(builds[0].id) if builds else workshop.start(read_kit(SHIPPED / "sluice"))
    for k in range(4):
        session.record(Note(text=f"{len(session.build.notes)}"), Note(text=f"with {k}"))
        for event in workshop.logbook.events(session.build.id)[-2:]:
            os.write(pipe, event.id.encode() + b"\n")
    write_whole(folder / "paper.txt", lambda there: there.write_text(f"{PAPER} {len(session.build.notes)} " * 900))
    back_up(workshop, folder / "backup.zip")
    workshop.close()


def looked_at(folder: Path, acknowledged: set[str]) -> list[str]:
    """What is not as it should be."""
    from nuvlo.problems import NuvloError
    from nuvlo.workshop.backup import restore
    from nuvlo.workshop.workshop import Workshop

    wrong = []
    try:
        workshop = Workshop(folder / "shop")
        kept = {e.id for b in workshop.builds() for e in workshop.logbook.events(b.id)}
        if workshop.logbook.salvaged is not None:
            wrong.append("the log is damaged")
        if any(b.unread for b in workshop.builds()):
            wrong.append("an entry cannot be read")
        wrong += [f"{len(acknowledged - kept)} acknowledged entries are gone"] if acknowledged - kept else []
        if any(len(b.notes) % 2 for b in workshop.builds()):
            wrong.append("half an entry")
        workshop.close()
    except NuvloError as refused:
        wrong.append(f"it does not open: {refused}")
    paper, backup = folder / "paper.txt", folder / "backup.zip"
    if paper.exists() and len(set(paper.read_text().split(PAPER)[1:])) != 1:
        wrong.append("a paper is half written")
    if backup.exists():
        try:
            restore(backup, folder / "restored")
            shutil.rmtree(folder / "restored")
        except NuvloError as refused:
            wrong.append(f"the backup: {refused}")
    return wrong


def main() -> int:
    if "LD_PRELOAD" not in os.environ:
        shimmed()
    shim = ctypes.CDLL(None)
    shim.kills_seen.restype = ctypes.c_long
    tries = wrong = 0
    with tempfile.TemporaryDirectory(prefix="nuvlo-kills-") as scratch:
        used = Path(scratch) / "used"
        used.mkdir()
        null = os.open(os.devnull, os.O_WRONLY)
        work(used, null)  # all is loaded, and there is a workshop in use
        for late in (0, 1):
            for fresh in (True, False):
                at = 0
                while True:
                    folder = Path(scratch) / "one"
                    shutil.rmtree(folder, ignore_errors=True)
                    folder.mkdir() if fresh else shutil.copytree(used, folder)
                    out, into = os.pipe()
                    child = os.fork()
                    if child == 0:
                        os.close(out)
                        shim.kills_arm(ctypes.c_long(at), late)
                        status = 1
                        try:
                            work(folder, into)
                            status = 0
                        finally:
                            shim.kills_arm(ctypes.c_long(-1), 0)
                            os._exit(status)
                    os.close(into)
                    said = b""
                    while block := os.read(out, 65536):
                        said += block
                    os.close(out)
                    ended = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
                    found = looked_at(folder, {x.decode() for x in said.split(b"\n") if len(x) == 32})
                    if ended not in (0, -9):
                        found.append(f"it ended with {ended}")
                    tries += 1
                    if found:
                        wrong += 1
                        where = (
                            f"call {at}, {'after' if late else 'before'} it, {'a new' if fresh else 'a used'} workshop"
                        )
                        print(f"--- {where}: {'; '.join(found)}", flush=True)
                    if ended == 0:
                        break
                    at += 1
                print(
                    f"{at} calls in {'a new' if fresh else 'a used'} workshop, killed {'after' if late else 'before'} each",
                    flush=True,
                )
    print(f"{tries} runs, {wrong} of them wrong")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
