package bargelane.sites.libvirt;

import static bargelane.sites.libvirt.DomainXml.escape;

import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Initramfs;
import bargelane.sites.SiteException;
import bargelane.sites.libvirt.Catalogue.State;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * Edits and reads files in volumes through a small machine on the host that has them as disks, so
 * that it is done by the file systems' own drivers. The machine is a kernel and an archive that
 * {@code scripts/small-machine yard} builds; what it is to do comes as an archive on a disk of its
 * own, with a script and the functions that it uses. It may be started before there is anything to
 * do, and is given its disks later. It has no network, tells what it did on its serial line and
 * switches itself off.
 */
final class Yard {

  private static final Duration PATIENCE = Duration.ofSeconds(180);
  private static final String WORK = "-work";
  private static final String CONSOLE = "-console";
  private static final int SECTOR = 512;
  private static final int MOST_TOLD = 2000;

  private final Host host;
  private final Catalogue catalogue;

  Yard(Host host) {
    this.host = host;
    this.catalogue = host.catalogue();
  }

  private byte[] part(String name) {
    Path file = Path.of(host.settings.yard(), name);
    try {
      return Files.readAllBytes(file);
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "yard-missing",
          "the yard is not to be found at "
              + file
              + ": build it with scripts/small-machine yard DIR, and name DIR in the site's address as yard=DIR",
          e);
    }
  }

  private static String quote(String text) {
    return "'" + text.replace("'", "'\\''") + "'";
  }

  /** Where a disk, or a part of it, is in the yard. */
  private static String device(int disk, int partition) {
    return "/disks/" + disk + "-" + partition;
  }

  /** What the yard does: per file system, each file checked before and after. */
  static Map<String, byte[]> work(List<FileEdit> edits, int disks) {
    Map<String, List<Integer>> places = new LinkedHashMap<>();
    for (int i = 0; i < edits.size(); i++) {
      FileEdit e = edits.get(i);
      String place =
          String.join(
              " ", "enter", device(e.disk(), e.partition()), quote(e.within()), e.fileSystem());
      places.computeIfAbsent(place, k -> new ArrayList<>()).add(i);
    }
    StringBuilder script = new StringBuilder(". /refit/functions\nset -e\n");
    script.append("disks ").append(disks).append('\n');
    Map<String, byte[]> files = new LinkedHashMap<>();
    places.forEach(
        (enter, numbers) -> {
          script.append(enter).append('\n');
          for (int i : numbers) {
            FileEdit e = edits.get(i);
            script.append("edit ").append(quote("/mnt" + e.path())).append(' ').append(e.keep());
            script.append(" '").append(e.before()).append("' '").append(e.after()).append("'");
            if (e.copyOf().isEmpty()) {
              script.append(" /refit/files/").append(i).append('\n');
              files.put("refit/files/" + i, e.content());
            } else {
              script.append(' ').append(quote("/mnt" + e.copyOf())).append('\n');
            }
          }
          script.append("leave\n");
        });
    return script(files, script);
  }

  /** What the yard does to copy files out: places as {@code 0/2}, onto the last disk. */
  static Map<String, byte[]> copying(List<String> places, int disks) {
    StringBuilder script = new StringBuilder(". /refit/functions\nset -e\n");
    script.append("disks ").append(disks + 1).append('\n');
    script.append("drivers='").append(String.join(" ", Hardware.drivers())).append("'\n");
    script.append("onto ").append(device(disks, 0)).append('\n');
    for (String place : places) {
      int slash = place.indexOf('/');
      int disk = Integer.parseInt(place.substring(0, slash));
      int partition = Integer.parseInt(place.substring(slash + 1));
      script.append("copy ").append(disk).append(' ').append(partition).append(' ');
      script.append(device(disk, partition)).append('\n');
    }
    script.append("copy_volumes\nput_away\n");
    return script(new LinkedHashMap<>(), script);
  }

  private static Map<String, byte[]> script(Map<String, byte[]> files, StringBuilder script) {
    files.put("refit/script", script.toString().getBytes(StandardCharsets.UTF_8));
    try (InputStream functions = Yard.class.getResourceAsStream("yard-functions.sh")) {
      files.put("refit/functions", functions.readAllBytes());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return files;
  }

  /** Copies files out of the named places of some volumes, onto another volume. */
  void look(String name, String owner, List<String> disks, List<String> places, String onto) {
    List<String> all = new ArrayList<>(disks);
    all.add(onto);
    run(name, owner, all, copying(places, disks.size()));
  }

  /** Carries edits out, and gives what the yard told. */
  String edit(String name, String owner, List<String> disks, List<FileEdit> edits) {
    return run(name, owner, disks, work(edits, disks.size()));
  }

  /**
   * Starts a yard that waits for its disks and its work; one that waits already is left as it is.
   */
  void prepare(String name, String owner) {
    if (waiting(name, owner).isPresent()) {
      return;
    }
    remove(name, owner);
    host.hypervisor.start(host.hypervisor.define(describe(name, owner, List.of())));
  }

  private String run(String name, String owner, List<String> disks, Map<String, byte[]> files) {
    String base = base(name);
    byte[] archive = Initramfs.write(files);
    byte[] work = Arrays.copyOf(archive, (archive.length + SECTOR - 1) / SECTOR * SECTOR);
    try {
      String id = begun(name, owner, disks, work);
      String told;
      try {
        if (!host.hypervisor.events.await(PATIENCE, () -> host.hypervisor.domain(id).off())) {
          throw new SiteException(
              SiteException.Kind.MAY_PASS,
              "yard-slow",
              host.site + ": the yard did not end within " + PATIENCE.toSeconds() + " s",
              null);
        }
        told =
            new String(host.shell.read(base + CONSOLE).orElse(new byte[0]), StandardCharsets.UTF_8)
                .replace("\r", "")
                .strip();
      } finally {
        new LibvirtCompute(host).remove(id);
      }
      if (!told.contains("refit: ")) {
        throw new SiteException(
            SiteException.Kind.MAY_PASS,
            "yard-ended",
            host.site + ": the yard ended before it had done its work: " + brief(told),
            null);
      }
      if (!told.endsWith("refit: done")) {
        throw host.failure(
            "refit-failed",
            told.contains("no script came")
                ? "the yard was built by an earlier version: build it again with ./bargelane yard"
                : "the yard failed: " + brief(told));
      }
      return told;
    } finally {
      removeFiles(host, base + CONSOLE);
    }
  }

  /**
   * Removes what a yard had on its host, its work and its console; nothing if the console is none
   * of a yard.
   */
  static void removeFiles(Host host, String console) {
    if (console.startsWith(directory(host)) && console.endsWith(CONSOLE)) {
      String base = console.substring(0, console.length() - CONSOLE.length());
      host.shell.remove(List.of(), List.of(base + "-"), List.of());
    }
  }

  private static String directory(Host host) {
    return host.catalogue().directory() + "/yard/";
  }

  /** The end of what a yard told. */
  private static String brief(String told) {
    return told.substring(Math.max(0, told.length() - MOST_TOLD)).replace('\n', ';');
  }

  /** Gives the work to the yard that waits for it, or to one that is started with it. */
  private String begun(String name, String owner, List<String> disks, byte[] work) {
    List<String> devices = devices(base(name), disks);
    Optional<String> waiting = waiting(name, owner);
    if (waiting.isPresent()) {
      host.shell.putReadable(base(name) + WORK, work);
      try {
        // Its work comes last: by then it has all its disks.
        devices.forEach(d -> host.hypervisor.plug(waiting.get(), d));
        return waiting.get();
      } catch (SiteException e) {
        // A host that can't plug disks in, or a yard that died: another is started with them.
      }
    }
    remove(name, owner);
    host.shell.putReadable(base(name) + WORK, work);
    String id = host.hypervisor.define(describe(name, owner, devices));
    host.hypervisor.start(id);
    return id;
  }

  private Optional<String> waiting(String name, String owner) {
    return ours(name, owner)
        .filter(d -> !d.off() && new DomainXml(d.xml()).disks().isEmpty())
        .map(d -> new DomainXml(d.xml()).uuid())
        .findFirst();
  }

  private Stream<Hypervisor.Domain> ours(String name, String owner) {
    return host.hypervisor.domains().stream()
        .filter(
            d -> {
              DomainXml xml = new DomainXml(d.xml());
              return xml.name().equals(name) && xml.owner().equals(owner);
            });
  }

  private void remove(String name, String owner) {
    ours(name, owner).forEach(d -> new LibvirtCompute(host).remove(new DomainXml(d.xml()).uuid()));
  }

  private String base(String name) {
    return directory(host) + Names.brief(name);
  }

  /**
   * A part of the yard on the host, put there once for all that are started from it. It is unpacked
   * there: an emulated processor takes three times as long to start from what is packed.
   */
  private String kept(String name) {
    byte[] content = part(name);
    String file = directory(host) + name + "-" + digest(content) + ".plain";
    if (host.shell.read(file, 0, 1).isEmpty()) {
      host.shell.putUnpacked(file, content);
    }
    return file;
  }

  private static String digest(byte[] content) {
    return FileEdit.digest(content).substring(0, 16);
  }

  /** The guest's disks with their numbers for serials, and at last the work. */
  private List<String> devices(String base, List<String> disks) {
    State state = catalogue.read();
    List<String> devices = new ArrayList<>();
    for (String disk : disks) {
      String file = state.fileOf(disk);
      String serial = "d" + devices.size();
      devices.add(device(devices.size(), host.format(state, file), file, serial, ""));
    }
    devices.add(device(devices.size(), "raw", base + WORK, "work", "<readonly/>"));
    return devices;
  }

  private static String device(int index, String format, String file, String serial, String more) {
    String letters =
        (index < 26 ? "" : String.valueOf((char) ('a' + index / 26 - 1)))
            + (char) ('a' + index % 26);
    return "<disk type='file' device='disk'><driver name='qemu' type='"
        + format
        + "'/><source file='"
        + escape(file)
        + "'/><target dev='vd"
        + letters
        + "' bus='virtio'/><serial>"
        + serial
        + "</serial>"
        + more
        + "</disk>";
  }

  private String describe(String name, String owner, List<String> devices) {
    StringBuilder x = new StringBuilder();
    x.append("<domain type='")
        .append(host.hypervisor.domainType())
        .append("'><name>")
        .append(escape(name));
    x.append("</name><metadata>").append(new DomainXml.Mark(owner, false, "").element());
    x.append("</metadata><memory unit='MiB'>384</memory><vcpu>1</vcpu>");
    x.append("<os><type arch='x86_64' machine='pc'>hvm</type><kernel>");
    x.append(escape(kept("yard-kernel"))).append("</kernel><initrd>");
    x.append(escape(kept("yard-initrd"))).append("</initrd>");
    x.append(
        "<cmdline>console=ttyS0 quiet loglevel=0 panic=-1 oops=panic no_timer_check nokaslr mitigations=off cryptomgr.notests</cmdline></os>");
    x.append("<features><acpi/></features><on_reboot>destroy</on_reboot>");
    x.append("<on_crash>destroy</on_crash><devices>");
    devices.forEach(x::append);
    x.append("<serial type='file'><source path='").append(escape(base(name)));
    x.append(CONSOLE).append("'/></serial><memballoon model='none'/></devices></domain>");
    return x.toString();
  }
}
