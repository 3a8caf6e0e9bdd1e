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
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Edits and reads files in volumes through a small machine on the host that has them as disks, so
 * that it is done by the file systems' own drivers. The machine is a kernel and an archive that
 * {@code scripts/small-machine yard} builds; what it is to do comes in a second archive, as a
 * script and the functions that it uses. It has no network, tells what it did on its serial line
 * and switches itself off.
 */
final class Yard {

  private static final Duration PATIENCE = Duration.ofSeconds(180);

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
    return "/dev/vd" + (char) ('a' + disk) + (partition == 0 ? "" : partition);
  }

  /** What the yard does: per file system, each file checked before and after. */
  static Map<String, byte[]> work(List<FileEdit> edits) {
    Map<String, List<Integer>> places = new LinkedHashMap<>();
    for (int i = 0; i < edits.size(); i++) {
      FileEdit e = edits.get(i);
      String place =
          String.join(
              " ", "enter", device(e.disk(), e.partition()), quote(e.within()), e.fileSystem());
      places.computeIfAbsent(place, k -> new ArrayList<>()).add(i);
    }
    StringBuilder script = new StringBuilder(". /refit/functions\nset -e\n");
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
          script.append("umount /mnt\n");
        });
    return script(files, script);
  }

  /** What the yard does to copy files out: places as {@code 0/2}, onto the last disk. */
  static Map<String, byte[]> copying(List<String> places, int disks) {
    StringBuilder script = new StringBuilder(". /refit/functions\nset -e\n");
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
    return run(name, owner, disks, work(edits));
  }

  private String run(String name, String owner, List<String> disks, Map<String, byte[]> files) {
    byte[] kernel = part("yard-kernel");
    byte[] initrd = part("yard-initrd");
    byte[] work = Initramfs.write(files);
    byte[] both =
        java.util.Arrays.copyOf(initrd, initrd.length + (-initrd.length & 3) + work.length);
    System.arraycopy(work, 0, both, both.length - work.length, work.length);
    String base = catalogue.directory() + "/yard/" + Names.brief(name);
    host.shell.putReadable(base + "-kernel", kernel);
    host.shell.putReadable(base + "-initrd", both);
    try {
      remove(name, owner);
      String id = host.hypervisor.define(describe(name, owner, disks, base));
      try {
        host.hypervisor.start(id);
        if (!host.hypervisor.events.await(PATIENCE, () -> host.hypervisor.domain(id).off())) {
          throw new SiteException(
              SiteException.Kind.MAY_PASS,
              "yard-slow",
              host.site + ": the yard did not end within " + PATIENCE.toSeconds() + " s",
              null);
        }
      } finally {
        new LibvirtCompute(host).remove(id);
      }
      String told =
          new String(host.shell.read(base + "-console").orElse(new byte[0]), StandardCharsets.UTF_8)
              .replace("\r", "")
              .strip();
      if (!told.endsWith("refit: done")) {
        throw host.failure("refit-failed", "the yard failed: " + told.replace('\n', ';'));
      }
      return told;
    } finally {
      host.shell.remove(List.of(), List.of(base + "-"), List.of());
    }
  }

  private void remove(String name, String owner) {
    host.hypervisor.domains().stream()
        .map(d -> new DomainXml(d.xml()))
        .filter(d -> d.name().equals(name) && d.owner().equals(owner))
        .forEach(d -> new LibvirtCompute(host).remove(d.uuid()));
  }

  private String describe(String name, String owner, List<String> disks, String base) {
    State state = catalogue.read();
    StringBuilder x = new StringBuilder();
    x.append("<domain type='")
        .append(host.hypervisor.domainType())
        .append("'><name>")
        .append(escape(name));
    x.append("</name><metadata>").append(new DomainXml.Mark(owner, false, "").element());
    x.append("</metadata><memory unit='MiB'>384</memory><vcpu>1</vcpu>");
    x.append("<os><type arch='x86_64' machine='pc'>hvm</type><kernel>").append(escape(base));
    x.append("-kernel</kernel><initrd>").append(escape(base)).append("-initrd</initrd>");
    x.append(
        "<cmdline>console=ttyS0 quiet loglevel=0 nokaslr mitigations=off cryptomgr.notests</cmdline></os>");
    x.append("<features><acpi/></features><on_reboot>destroy</on_reboot>");
    x.append("<on_crash>destroy</on_crash><devices>");
    for (int i = 0; i < disks.size(); i++) {
      String file = state.fileOf(disks.get(i));
      x.append("<disk type='file' device='disk'><driver name='qemu' type='");
      x.append(host.format(state, file)).append("'/><source file='").append(escape(file));
      x.append("'/><target dev='vd").append((char) ('a' + i)).append("' bus='virtio'/></disk>");
    }
    x.append("<serial type='file'><source path='").append(escape(base));
    x.append("-console'/></serial><memballoon model='none'/></devices></domain>");
    return x.toString();
  }
}
