package bargelane.standins.host;

import java.io.Closeable;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;

/**
 * A hypervisor host of its own on this machine: a libvirt session daemon that runs as an account
 * without rights, with all of its state under one directory, a pool of files and a network's
 * address range. Two of them with different accounts are two hosts; daemon and guests can be killed
 * alone.
 */
public final class DemoHost implements Closeable {

  static final long START_SECONDS = 30;

  final String account;
  private final Path dir;
  private Process daemon;
  private final DemoSsh ssh;
  private boolean limited;
  private final boolean system;

  private DemoHost(String account, Path dir, boolean system) {
    this.account = account;
    this.ssh = new DemoSsh(this, dir);
    this.dir = dir;
    this.system = system;
  }

  /**
   * Starts a host.
   *
   * @param account an account of this machine that is there for no other purpose; not used unless
   *     we are root
   * @param dir a short path: sockets lie below it
   * @param network name of the network, whose range is {@code gateway}/24
   */
  public static DemoHost start(String account, Path dir, String network, String gateway)
      throws IOException {
    DemoHost host = new DemoHost(account, dir, false);
    for (String part : List.of("home", "run", "cfg", "cache", "data", "pool")) {
      Files.createDirectories(dir.resolve(part));
    }
    if (root()) {
      exec(List.of("chown", "-R", account + ":", dir.toString()));
    }
    exec(List.of("chmod", "700", dir.resolve("run").toString()));
    host.startDaemon();
    host.virsh("pool-create-as", "pool", "dir", "--target", host.pool().toString());
    host.network(network, gateway);
    return host;
  }

  /** Gives the host a network that it does not carry itself, of the range {@code gateway}/24. */
  public void network(String name, String gateway) throws IOException {
    Path xml = dir.resolve(name + ".network.xml");
    Files.writeString(
        xml,
        "<network><name>" + name + "</name><ip address='" + gateway + "' prefix='24'/></network>");
    virsh("net-define", xml.toString());
  }

  /**
   * Starts a host whose daemon is a system's, as root in mounts and network interfaces of its own;
   * its network is a bridge. For root only.
   */
  public static DemoHost startSystem(Path dir, String network, String gateway) throws IOException {
    DemoHost host = new DemoHost("root", dir, true);
    for (String part : List.of("run/libvirt", "cfg", "cache", "data/dnsmasq", "log", "pool")) {
      Files.createDirectories(dir.resolve(part));
    }
    // Without its logging daemon it opens consoles itself; guests see the devices that it sees.
    Files.writeString(dir.resolve("cfg/qemu.conf"), "stdio_handler = \"file\"\nnamespaces = []\n");
    host.startDaemon();
    host.virsh("pool-create-as", "pool", "dir", "--target", host.pool().toString());
    Path xml = dir.resolve("network.xml");
    Files.writeString(
        xml,
        "<network><name>"
            + network
            + "</name><bridge name='bl0'/><dns enable='no'/><ip address='"
            + gateway
            + "' prefix='24'/></network>");
    host.virsh("net-define", xml.toString());
    host.virsh("net-start", network);
    return host;
  }

  /** Runs a command among a system host's own network interfaces. */
  public String inside(String... command) throws IOException {
    List<String> whole =
        new ArrayList<>(List.of("nsenter", "-t", String.valueOf(daemon.pid()), "-n", "--"));
    whole.addAll(List.of(command));
    return exec(whole);
  }

  static boolean root() {
    return "root".equals(System.getProperty("user.name"));
  }

  public Path pool() {
    return dir.resolve("pool");
  }

  public Path socket() {
    return dir.resolve("run/libvirt/libvirt-sock");
  }

  /** The site's address; more parameters begin with {@code &}. */
  public String address(String more) {
    return uri() + more;
  }

  private String uri() {
    return "qemu:///" + (system ? "system" : "session") + "?socket=" + socket();
  }

  List<String> as(List<String> command) {
    List<String> whole = new ArrayList<>();
    if (system) {
      return command;
    }
    if (root()) {
      whole.addAll(
          List.of("setpriv", "--reuid=" + account, "--regid=" + id("-g"), "--clear-groups", "--"));
    }
    whole.addAll(List.of("env", "-i", "PATH=/usr/sbin:/usr/bin:/sbin:/bin", "USER=" + account));
    whole.add("HOME=" + dir.resolve("home"));
    whole.add("XDG_RUNTIME_DIR=" + dir.resolve("run"));
    whole.add("XDG_CONFIG_HOME=" + dir.resolve("cfg"));
    whole.add("XDG_CACHE_HOME=" + dir.resolve("cache"));
    whole.add("XDG_DATA_HOME=" + dir.resolve("data"));
    whole.addAll(command);
    return whole;
  }

  private String id(String which) {
    try {
      return exec(List.of("id", which, account)).strip();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** Runs a command on the host as its account. */
  public String run(String... command) throws IOException {
    return exec(as(List.of(command)));
  }

  static String exec(List<String> command) throws IOException {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    process.getOutputStream().close();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (process.waitFor() != 0) {
        throw new IOException(String.join(" ", command) + ": " + out.strip());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
    return out;
  }

  /** Runs libvirt's own shell against the host. */
  public String virsh(String... words) throws IOException {
    List<String> command = new ArrayList<>(List.of("virsh", "-q", "-c", uri()));
    command.addAll(List.of(words));
    return exec(as(command));
  }

  /**
   * Lets the pool have so much room only, or more than before; for root, and before it is used and
   * its host is reached over SSH.
   */
  public void room(int mib) throws IOException {
    if (!limited) {
      exec(
          List.of(
              "mount",
              "-t",
              "tmpfs",
              "-o",
              "size=" + mib + "m,uid=" + id("-u"),
              "pool",
              pool().toString()));
      limited = true;
    } else {
      exec(List.of("mount", "-o", "remount,size=" + mib + "m", pool().toString()));
    }
  }

  /** Starts the daemon, and returns when it answers. */
  public void startDaemon() throws IOException {
    List<String> command =
        new ArrayList<>(as(List.of("libvirtd", "-p", dir.resolve("run/d.pid").toString())));
    if (system) {
      // What a system's daemon keeps lies in our directory; nothing of the machine is touched.
      command.addAll(
          0,
          List.of(
              "unshare",
              "-m",
              "-n",
              "sh",
              "-ec",
              """
              mkdir -p /run/libvirt
              mount --bind "$0/run/libvirt" /run/libvirt
              mount --bind "$0/cfg" /etc/libvirt
              mount --bind "$0/data" /var/lib/libvirt
              mount --bind "$0/log" /var/log/libvirt
              mount --bind "$0/cache" /var/cache/libvirt
              # Emulation everywhere alike: the processor's help may be there and not work.
              [ ! -e /dev/kvm ] || { : > "$0/nothing"; chmod 000 "$0/nothing"; mount --bind "$0/nothing" /dev/kvm; }
              busybox ip link set lo up
              exec "$@\"""",
              dir.toString()));
    }
    daemon =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.appendTo(dir.resolve("libvirtd.log").toFile()))
            .start();
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(START_SECONDS);
    while (true) {
      try {
        virsh("uri");
        return;
      } catch (IOException e) {
        if (!daemon.isAlive() || System.nanoTime() > until) {
          throw new IOException(
              "libvirtd did not start: " + Files.readString(dir.resolve("libvirtd.log")), e);
        }
        pause();
      }
    }
  }

  static void pause() throws IOException {
    try {
      Thread.sleep(100);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /** Kills the daemon; guests run on. */
  public void killDaemon() throws IOException {
    daemon.destroyForcibly();
    try {
      daemon.waitFor();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /**
   * Lets the account in over SSH, on a port of loopback; gives the site's address that way.
   *
   * @param more more parameters, beginning with {@code &}
   */
  public String overSsh(String more) throws IOException {
    return ssh.open() + more;
  }

  /** Kills the SSH server and all connections through it; guests and daemon run on. */
  public void killSsh() {
    ssh.kill();
  }

  /** Kills a guest's process, as a loss of power would. */
  public void killGuest(String name) throws IOException {
    long pid =
        Long.parseLong(
            Files.readString(dir.resolve("run/libvirt/qemu/run/" + name + ".pid")).strip());
    ProcessHandle guest =
        ProcessHandle.of(pid).orElseThrow(() -> new IOException(name + " is off"));
    guest.destroyForcibly();
    guest.onExit().join();
  }

  /** Kills the disk servers that run on this host; gives their process ids. */
  public Set<Long> killDiskServers() {
    String mine = "--socket=" + dir + "/";
    Set<Long> killed = new HashSet<>();
    ProcessHandle.allProcesses()
        .filter(p -> p.info().commandLine().orElse("").contains(mine))
        .filter(ProcessHandle::destroyForcibly)
        .forEach(p -> killed.add(p.pid()));
    return killed;
  }

  /** Takes a guest in: its disks into the pool, its machine off. */
  public void takeIn(DemoGuest guest) throws IOException {
    List<Path> disks = new ArrayList<>();
    for (int i = 0; i < guest.images().size(); i++) {
      Path disk = pool().resolve(guest.name() + "-" + i + "." + guest.format());
      exec(
          List.of(
              "qemu-img",
              "convert",
              "-q",
              "-O",
              guest.format(),
              guest.images().get(i).toString(),
              disk.toString()));
      given(disk);
      disks.add(disk);
    }
    Optional<Path> vars = guest.vars().map(v -> dir.resolve(guest.name() + ".vars"));
    if (vars.isPresent()) {
      Files.copy(guest.vars().get(), vars.get(), StandardCopyOption.REPLACE_EXISTING);
      given(vars.get());
    }
    Path file = dir.resolve(guest.name() + ".xml");
    Files.writeString(file, guest.xml(disks, pool(), dir, vars));
    virsh("define", file.toString());
  }

  /** Gives a file to the host's account. */
  private void given(Path file) throws IOException {
    if (root()) {
      exec(List.of("chown", account + ":", file.toString()));
    }
  }

  /** Ends every guest, disk server and watcher of this host, and its daemon. */
  @Override
  public void close() throws IOException {
    killSsh();
    killDaemon();
    String mine = dir.toString();
    try (Stream<ProcessHandle> all = ProcessHandle.allProcesses()) {
      for (ProcessHandle p : all.toList()) {
        Path line = Path.of("/proc/" + p.pid() + "/cmdline");
        try {
          if (p.pid() != ProcessHandle.current().pid()
              && (p.info().command().orElse("").contains("qemu"))
              && Files.readString(line, StandardCharsets.ISO_8859_1).contains(mine + "/")) {
            p.destroyForcibly();
            p.onExit().join();
          }
        } catch (java.nio.file.NoSuchFileException e) {
          // It ended by itself.
        }
      }
    }
    if (limited) {
      exec(List.of("umount", pool().toString()));
    }
  }
}
