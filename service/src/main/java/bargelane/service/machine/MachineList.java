package bargelane.service.machine;

import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.CsvTable.Row;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Machines as a list tells them (docs/formats/lists.md). */
public final class MachineList {

  private static final List<String> REQUIRED = List.of("name");
  private static final List<String> OPTIONAL =
      List.of("id", "cpus", "memory", "os", "firmware", "power", "disks", "nics", "label.*");

  private static final Pattern NAME = Pattern.compile("[^\\p{Cntrl}]{1,255}");
  private static final Pattern SIZE =
      Pattern.compile("([0-9]{1,9}(?:[.][0-9]{1,6})?) ?(KiB|MiB|GiB|TiB)");
  private static final Pattern DISK = Pattern.compile("(?:([^=;]{1,80})=)?(.+)");
  private static final Pattern MAC = Pattern.compile("(?i)([0-9a-f]{2}:){5}[0-9a-f]{2}");
  private static final Pattern ADDRESS =
      Pattern.compile("[0-9]{1,3}([.][0-9]{1,3}){3}|[0-9A-Fa-f.]*:[0-9A-Fa-f:.]*");
  private static final int MOST_CPUS = 10_000;

  private final CsvTable table;
  private final Map<String, MachineFacts> machines = new LinkedHashMap<>();

  private MachineList(CsvTable table) {
    this.table = table;
  }

  /** Reads a list; what is wrong in it is in its {@link #table}. */
  public static MachineList read(String text) {
    MachineList list = new MachineList(CsvTable.read(text, REQUIRED, OPTIONAL));
    list.table.rows().forEach(list::add);
    return list;
  }

  public CsvTable table() {
    return table;
  }

  /** By what the list knows them by. */
  public Map<String, MachineFacts> machines() {
    return machines;
  }

  private void add(Row row) {
    String name = row.must("name", x -> NAME.matcher(x).matches(), "is not a name of a machine");
    String key = row.text("id").isEmpty() ? name : row.text("id");
    MachineFacts facts =
        new MachineFacts(
            key,
            name,
            row.maybe("cpus", MachineList::cpus, "is not a number of processors").orElse(0),
            row.maybe("memory", MachineList::bytes, "is not a size, as 16GiB").orElse(0L) >> 20,
            row.text("os"),
            row.maybe(
                    "firmware",
                    x -> x.matches("bios|uefi") ? Optional.of(x) : Optional.empty(),
                    "is neither bios nor uefi")
                .orElse(""),
            !row.maybe(
                    "power",
                    x -> x.matches("on|off") ? Optional.of(x) : Optional.empty(),
                    "is neither on nor off")
                .orElse("on")
                .equals("off"),
            false,
            disks(row),
            nics(row),
            List.of(),
            row.labels(),
            "",
            DeviceFamily.UNKNOWN,
            GuestFacts.NONE);
    if (!key.isEmpty() && machines.put(key, facts) != null) {
      row.wrong(row.text("id").isEmpty() ? "name" : "id", "'" + key + "' is there twice");
    }
  }

  private static Optional<Integer> cpus(String text) {
    return CsvTable.whole(text).filter(n -> n >= 1 && n <= MOST_CPUS).map(Long::intValue);
  }

  /** A size with its unit, in bytes. */
  static Optional<Long> bytes(String text) {
    Matcher m = SIZE.matcher(text);
    if (!m.matches()) {
      return Optional.empty();
    }
    long unit = 1L << 10 * (1 + "KiB MiB GiB TiB".indexOf(m.group(2)) / 4);
    double bytes = Double.parseDouble(m.group(1)) * unit;
    return bytes > 1L << 60 ? Optional.empty() : Optional.of(Math.round(bytes));
  }

  private static List<Disk> disks(Row row) {
    List<Disk> disks = new ArrayList<>();
    Set<String> names = new HashSet<>();
    for (String part : row.text("disks").split(";")) {
      if (part.isBlank()) {
        continue;
      }
      Matcher m = DISK.matcher(part.strip());
      Optional<Long> size = m.matches() ? bytes(m.group(2).strip()) : Optional.empty();
      String name = m.matches() && m.group(1) != null ? m.group(1).strip() : "disk-" + disks.size();
      if (size.isEmpty() || size.get() == 0) {
        row.wrong("disks", "'" + part.strip() + "' is not a disk, as 100GiB or data=2TiB");
      } else if (!names.add(name)) {
        row.wrong("disks", "'" + name + "' is there twice");
      } else {
        disks.add(new Disk(name, size.get(), ""));
      }
    }
    return disks;
  }

  /** Each a network, an address and a hardware address, as far as they are told. */
  private static List<Nic> nics(Row row) {
    List<Nic> nics = new ArrayList<>();
    for (String part : row.text("nics").split(";")) {
      if (part.isBlank()) {
        continue;
      }
      String network = "";
      String address = "";
      String mac = "";
      for (String word : part.strip().split(" +")) {
        if (MAC.matcher(word).matches() && mac.isEmpty()) {
          mac = word.toLowerCase(Locale.ROOT);
        } else if (ADDRESS.matcher(word).matches() && address.isEmpty()) {
          address = word;
        } else if (network.isEmpty()) {
          network = word;
        } else {
          row.wrong("nics", "'" + word + "' is one word too many of a card");
        }
      }
      nics.add(new Nic(network, address, mac));
    }
    return nics;
  }
}
