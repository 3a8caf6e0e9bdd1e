package bargelane.sites.ovf;

import bargelane.blocks.ovf.OvfDescriptor;
import bargelane.blocks.ovf.OvfDescriptor.PackagedDisk;
import bargelane.blocks.ovf.OvfDescriptor.VirtualSystem;
import bargelane.blocks.ovf.OvfPackage;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.LookOnly;
import bargelane.sites.SiteException;
import bargelane.sites.SiteException.Kind;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * A folder of OVF packages where the service runs. Its machines are known by their package's name
 * and their id in it; they are off, and are looked at only.
 */
public final class OvfDriver extends LookOnly {

  private final String name;
  private final Path folder;

  /**
   * A site of a folder.
   *
   * @throws IllegalArgumentException if the address is no absolute path
   */
  public OvfDriver(String name, String address) {
    super(name + " is a folder of packages", "OVF packages", "DSP0243");
    this.name = name;
    this.folder = Path.of(address);
    if (!folder.isAbsolute()) {
      throw new IllegalArgumentException(
          "'" + address + "' is not an absolute path of a folder where the service runs");
    }
  }

  @Override
  public List<Finding> check() {
    List<Finding> findings = new ArrayList<>();
    try {
      for (Path path : OvfPackage.in(folder)) {
        try {
          OvfPackage.open(path)
              .damage()
              .forEach(
                  wrong ->
                      findings.add(
                          finding(
                              Code.SITE_PACKAGE_DAMAGED,
                              path,
                              wrong,
                              "export it again, or copy it again and whole")));
        } catch (IOException e) {
          findings.add(
              finding(
                  Code.SITE_PACKAGE_DAMAGED,
                  path,
                  message(e),
                  "export it again, or take it out of the folder"));
        }
      }
    } catch (IOException e) {
      findings.add(
          finding(
              Code.SITE_UNREACHABLE,
              folder,
              message(e),
              "see that the folder is there and that the service's user may read it"));
    }
    return findings;
  }

  private Finding finding(Code code, Path thing, String cause, String remedy) {
    return new Finding(code, thing.getFileName() + " of " + name, cause, remedy, Who.SITE_OWNER);
  }

  private static String message(IOException e) {
    return e instanceof java.nio.file.FileSystemException f
        ? f.getFile()
            + ": "
            + (f.getReason() == null ? f.getClass().getSimpleName() : f.getReason())
        : String.valueOf(e.getMessage());
  }

  /**
   * Everything in the folder. A package that can't be read fails the whole: to leave it out would
   * be to say that its machines are gone.
   */
  @Override
  public Inventory inventory() {
    List<MachineFacts> machines = new ArrayList<>();
    Set<String> networks = new LinkedHashSet<>();
    try {
      if (!Files.isDirectory(folder)) {
        throw new java.nio.file.NotDirectoryException(folder.toString());
      }
      for (Path path : OvfPackage.in(folder)) {
        try {
          OvfDescriptor read = OvfPackage.open(path).descriptor();
          for (VirtualSystem system : read.systems()) {
            machines.add(machine(path, system));
            system.cards().forEach(c -> networks.add(c.network()));
          }
        } catch (IOException e) {
          throw new SiteException(
              Kind.FINAL,
              "package-refused",
              "package " + path.getFileName() + " of " + name + ": " + message(e),
              e);
        }
      }
    } catch (IOException e) {
      throw new SiteException(Kind.MAY_PASS, "unreachable", name + ": " + message(e), e);
    }
    return new Inventory(
        machines,
        networks.stream()
            .filter(n -> !n.isEmpty())
            .map(n -> new Inventory.Network(n, n, "", "", false))
            .toList(),
        List.of(new Inventory.Storage("package", "package", "", BigDecimal.ZERO, "")),
        List.of(),
        List.of(),
        new Inventory.Quota(0, machines.size(), 0, 0));
  }

  private static MachineFacts machine(Path path, VirtualSystem system) {
    String buses =
        system.disks().stream().map(PackagedDisk::bus).distinct().collect(Collectors.joining(" "));
    String cards =
        system.cards().stream()
            .map(OvfDescriptor.PackagedCard::type)
            .distinct()
            .collect(Collectors.joining(" "));
    return new MachineFacts(
        path.getFileName() + "#" + system.id(),
        system.name(),
        system.cpus(),
        system.memoryMib(),
        system.os(),
        "",
        false,
        false,
        system.disks().stream()
            .map(
                d ->
                    new Inventory.Disk(
                        d.file().map(OvfDescriptor.PackagedFile::href).orElse(d.id()),
                        d.bytes(),
                        "package"))
            .toList(),
        system.cards().stream().map(c -> new Inventory.Nic(c.network(), "", c.mac())).toList(),
        List.of(),
        Map.of(),
        "",
        new DeviceFamily(buses.strip(), cards.strip()),
        GuestFacts.NONE);
  }
}
