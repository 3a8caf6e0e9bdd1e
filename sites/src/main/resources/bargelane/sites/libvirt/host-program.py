"""What Barge Lane runs on a hypervisor host.

One process a service node, begun over the node's connection and gone with it. It reads requests from its standard
input and answers on its standard output, in the order in which they are done: each is a line of JSON, followed by as
many bytes as its "length" says. Nothing of it is installed on the host, and it listens on no port.

What it begins ends with it, but for disk servers and guards, which are meant to outlive it.
"""
import errno
import fcntl
import gzip
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import threading
import time
from stat import S_ISREG

GREETING = b"bargelane/host-program/1\n"
LONGEST_LOCK = 60  # seconds
LONGEST_END = 20  # seconds that a disk server may take to flush
LEFT_BEHIND = 3600  # seconds after which nobody writes a file any more that was begun

answering = threading.Lock()
beginning = threading.Lock()  # kept for good by whoever ends all programs: none is begun that nobody would end
running = set()
holds = {}  # locks of the host's that we hold, by file


# ---- programs


def run(request, body, keeps=None):
    """Runs a program with some input; it is ended at its limit, with whatever it began. It keeps the locks that we hold, so
    that they are held until it ends should we be killed."""
    try:
        with beginning:
            process = subprocess.Popen(
                request["command"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                start_new_session=True,
                pass_fds=[lock.fileno() for lock in holds.values()] if keeps is None else keeps,
            )
            running.add(process.pid)
    except FileNotFoundError:
        return {"code": 127, "error": "there is no such program"}, b""
    try:
        out, error = process.communicate(body, request["limit"])
    except subprocess.TimeoutExpired:
        kill_group(process.pid)  # what it began too, which may have outlived it
        return {"late": True}, b""
    finally:
        running.discard(process.pid)
        if process.poll() is None:
            kill_group(process.pid)
            process.wait()
        for stream in (process.stdin, process.stdout, process.stderr):
            stream.close()
    return {"code": process.returncode, "error": error.decode("utf-8", "replace").strip()}, out


def kill_group(leader):
    try:
        os.killpg(leader, signal.SIGKILL)
    except ProcessLookupError:
        pass


def missing(request, body):
    """Which of some programs are not there."""
    return {"missing": [p for p in request["programs"] if shutil.which(p) is None]}, b""


# ---- files


def sync_directory(directory):
    handle = os.open(directory, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def written(directory, body, mode):
    """A new file in a directory, with its content on stable storage."""
    os.makedirs(directory, exist_ok=True)
    path = "%s/.new.%d.%d" % (directory, os.getpid(), threading.get_ident())
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, mode), "wb") as file:
            file.write(body)
            file.flush()
            os.fsync(file.fileno())
    except OSError:
        unlink(path)  # a full disk needs the room
        raise
    return path


def read(request, body):
    """A regular file's bytes, from an offset on and at most so many; a negative one is from its end."""
    try:
        with open(os.open(request["file"], os.O_RDONLY | os.O_NONBLOCK), "rb") as file:
            about = os.fstat(file.fileno())
            if not S_ISREG(about.st_mode):
                return {"there": False}, b""
            start = request["from"]
            file.seek(start if start >= 0 else max(0, about.st_size + start))
            return {"there": True}, file.read(request["most"])
    except FileNotFoundError:
        return {"there": False}, b""


def put(request, body):
    """Replaces a file, whole or not at all; unpacked first if it is packed and that is asked for."""
    if request.get("unpack") and body.startswith(b"\x1f\x8b"):
        body = gzip.decompress(body)
    directory = os.path.dirname(request["file"])
    fresh = written(directory, body, request["mode"])
    os.rename(fresh, request["file"])
    sync_directory(directory)
    return {}, b""


def replace(request, body):
    """Replaces the catalogue if it still has a revision."""
    directory = request["directory"]
    catalogue = directory + "/catalogue.json"
    fresh = written(directory, body, 0o600)
    with open(directory + "/lock", "w") as lock:
        locked(lock)
        done = revision(catalogue) == request["revision"]
        if done:
            os.rename(fresh, catalogue)
            sync_directory(directory)
        else:
            os.remove(fresh)
        leftovers(directory)
    return {"replaced": done}, b""


def locked(lock):
    until = time.monotonic() + LONGEST_LOCK
    while True:
        try:
            return fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() > until:
                raise
            time.sleep(0.005)


def hold(request, body):
    """Takes a lock that one of all programs on this host holds at a time, until it is released or its program is gone."""
    lock = open(request["file"], "w")
    try:
        locked(lock)
    except OSError:
        lock.close()
        raise
    with beginning:
        holds[request["file"]] = lock
    return {}, b""


def release(request, body):
    with beginning:
        lock = holds.pop(request["file"], None)
    if lock:
        fcntl.flock(lock, fcntl.LOCK_UN)  # for programs that were begun meanwhile, too
        lock.close()
    return {}, b""


def revision(catalogue):
    try:
        with open(catalogue, "rb") as file:
            found = re.search(rb'"revision":(\d+)', file.read(1024))
            return int(found.group(1)) if found else 0
    except FileNotFoundError:
        return 0


def leftovers(directory):
    """Removes what a writer left that was killed."""
    for entry in os.scandir(directory):
        if entry.name.startswith(".new."):
            try:
                if entry.stat().st_mtime < time.time() - LEFT_BEHIND:
                    os.remove(entry.path)
            except FileNotFoundError:
                pass


def writable(request, body):
    """Lets some files be written by who owns them, and others by nobody; what is not there is passed over."""
    for file in request["files"]:
        change_mode(file, lambda mode: mode | 0o200)
    for file in request["frozen"]:
        change_mode(file, lambda mode: mode & ~0o222)
    return {}, b""


def change_mode(file, change):
    try:
        mode = os.stat(file).st_mode & 0o7777
        if change(mode) != mode:
            os.chmod(file, change(mode))
    except FileNotFoundError:
        pass


def make(request, body):
    """Makes a file by a program that writes another one, unless it is there. It is there whole or not at all, and
    whoever is slower than another that makes the same never replaces what was written to that one meanwhile."""
    file = request["file"]
    if os.path.exists(file):
        return {"code": 0, "error": ""}, b""
    fresh = "%s.new.%d.%d" % (file, os.getpid(), threading.get_ident())
    try:
        answer, out = run(dict(request, command=[fresh if w == "{}" else w for w in request["command"]]), b"")
        if answer.get("code") == 0:
            try:
                os.link(fresh, file)
            except FileExistsError:
                pass
        return answer, out
    finally:
        unlink(fresh)


def unlink(path):
    try:
        os.remove(path)
    except FileNotFoundError:
        pass


def remove(request, body):
    """Removes files, those that begin with something, and trees."""
    for file in request["files"]:
        unlink(file)
    for beginning in request["beginnings"]:
        directory, name = os.path.split(beginning)
        if os.path.isdir(directory):
            for entry in os.listdir(directory):
                if entry.startswith(name):
                    unlink(directory + "/" + entry)
    for tree in request["trees"]:
        while os.path.isdir(tree):
            try:
                shutil.rmtree(tree)
            except FileNotFoundError:
                pass  # another removes it at the same time
    return {}, b""


def directory(request, body):
    """Makes a directory that can be written, for an account alone if one is given."""
    path = request["directory"]
    os.makedirs(path, exist_ok=True)
    if "account" in request:
        os.chown(path, request["account"], -1)
        os.chmod(path, 0o700)
    elif not os.access(path, os.W_OK):
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), path)
    return {}, b""


def stat(request, body):
    """When files were last changed, their size and what they take; null for one that is not there."""
    return {"stats": [stated(file) for file in request["files"]]}, b""


def stated(file):
    try:
        s = os.stat(file)
        return {"changed": s.st_mtime_ns, "size": s.st_size, "takes": s.st_blocks * 512}
    except FileNotFoundError:
        return None


# ---- disk servers: the socket and the process id of each lie beside each other


def serve(request, body):
    """Begins a disk server, after the end of an earlier one of its socket."""
    end_server(request["base"])
    os.makedirs(os.path.dirname(request["base"]), exist_ok=True)
    return run(request, b"", [])  # it outlives us and our locks


def end(request, body):
    """Ends a disk server; then it has flushed and let go of its image."""
    end_server(request["base"])
    return {}, b""


def end_server(base):
    try:
        with open(base + ".pid") as file:
            pid = int(file.read())
    except (FileNotFoundError, ValueError):
        return
    if serves(pid, base):
        signalled(pid, signal.SIGTERM)
        if not gone(pid, base, LONGEST_END):
            signalled(pid, signal.SIGKILL)
            if not gone(pid, base, LONGEST_END):
                raise TimeoutError(errno.ETIMEDOUT, "the disk server does not end", base)
    unlink(base + ".pid")
    unlink(base + ".sock")


def signalled(pid, number):
    try:
        os.kill(pid, number)
    except ProcessLookupError:
        pass


def serves(pid, base):
    """Whether a process is the disk server of a socket; one that has ended has no words."""
    try:
        with open("/proc/%d/cmdline" % pid, "rb") as file:
            return ("--socket=%s.sock" % base).encode() in file.read().split(b"\0")
    except (FileNotFoundError, ProcessLookupError):
        return False


def gone(pid, base, patience):
    until = time.monotonic() + patience
    while serves(pid, base):
        if time.monotonic() > until:
            return False
        time.sleep(0.005)
    return True


# ---- guards: processes of their own, which outlive us


def guard(request, body):
    """Begins a guard, and sees to it that its end is noticed."""
    process = subprocess.Popen(
        [sys.executable, "-", request["guard"], json.dumps(request)],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    process.stdin.write(SOURCE)
    process.stdin.close()
    threading.Thread(target=process.wait, daemon=True).start()
    return {}, b""


def scratch_watch(request):
    """Ends a backup whose scratch images reach their bound, or when the room around them runs short: scratch room that
    runs out would fail the guest's own writes. Ends with the images."""
    first = request["scratch"][0]
    until = time.monotonic() + 30
    while not os.path.exists(first):
        if time.monotonic() > until:
            return
        time.sleep(0.05)
    while os.path.exists(first):
        used = sum((stated(file) or {"takes": 0})["takes"] for file in request["scratch"])
        try:
            room = os.statvfs(first)
        except FileNotFoundError:
            return
        free = room.f_bavail * room.f_frsize
        if used > request["bound"] or free < request["reserve"]:
            with open(request["told"], "w") as told:
                told.write("scratch room: %d bytes used of %d, %d free\n" % (used, request["bound"], free))
            virsh(request["uri"], "domjobabort", request["domain"])
        time.sleep(0.05)


def thaw(request):
    """Lets a guest write again, unless whoever holds it does so before."""
    for _ in range(6):
        time.sleep(request["seconds"])
        if not os.path.exists(request["token"]):
            return
        if virsh(request["uri"], "domfsthaw", request["domain"]) == 0:
            break
    unlink(request["token"])


def virsh(uri, *words):
    try:
        return subprocess.call(
            ["virsh", "-q", "-c", uri] + list(words),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            timeout=60,
        )
    except subprocess.TimeoutExpired:
        return -1


# ---- requests

OPERATIONS = {
    f.__name__: f for f in (run, missing, read, put, replace, hold, release, make, writable, remove, directory, stat, serve, end, guard)
}


def done(request, body):
    try:
        answer, out = OPERATIONS[request["op"]](request, body)
    except OSError as e:
        answer, out = {"failed": e.strerror or str(e), "errno": e.errno or 0, "file": e.filename or ""}, b""
    except Exception as e:  # or whoever asked would wait
        answer, out = {"failed": "%s: %s" % (type(e).__name__, e), "errno": 0, "file": ""}, b""
    answer["id"] = request["id"]
    answer["length"] = len(out)
    with answering:
        try:
            sys.stdout.buffer.write(json.dumps(answer).encode() + b"\n" + out)
            sys.stdout.buffer.flush()
        except BrokenPipeError:
            pass  # who asked is gone


def main():
    """Answers until the input ends, or somebody ends us. The program's text is in SOURCE."""
    told, tell = os.pipe()
    os.set_blocking(tell, False)
    signal.set_wakeup_fd(tell)
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, lambda number, frame: None)
    threading.Thread(target=ended, args=(told,), daemon=True).start()
    sys.stdout.buffer.write(GREETING)
    sys.stdout.buffer.flush()
    requests = sys.stdin.buffer
    at_work = []
    while True:
        line = requests.readline()
        if not line.endswith(b"\n"):
            break
        request = json.loads(line)
        body = requests.read(request["length"])
        at_work = [t for t in at_work if t.is_alive()]
        at_work.append(threading.Thread(target=done, args=(request, body), daemon=True))
        at_work[-1].start()
    end_programs()
    for thread in at_work:
        thread.join(5)  # it removes what it has half made
    os._exit(0)


def ended(told):
    """Ends what runs at the first signal. Not in a handler: those run between two steps of the main thread, which a signal
    that comes just before it waits for input does not wake."""
    number = os.read(told, 1)[0]
    end_programs()
    os._exit(128 + number)


def end_programs():
    beginning.acquire(timeout=5)
    for leader in list(running):
        kill_group(leader)


ROLE = sys.argv[1]
if ROLE == "bargelane-host":
    main()
elif ROLE == "bargelane-scratch-watch":
    scratch_watch(json.loads(sys.argv[2]))
elif ROLE == "bargelane-thaw":
    thaw(json.loads(sys.argv[2]))
