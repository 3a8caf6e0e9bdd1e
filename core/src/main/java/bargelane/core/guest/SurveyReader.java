package bargelane.core.guest;

import bargelane.core.guest.Survey.Card;
import bargelane.core.guest.Survey.Device;
import bargelane.core.guest.Survey.Mount;
import bargelane.core.guest.Survey.Route;
import bargelane.core.guest.Survey.Software;
import bargelane.core.guest.Survey.Unread;
import bargelane.core.site.Inventory.Usage;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.Set;
import java.util.regex.Pattern;

/**
 * Reads the text that the survey's script, {@code survey.sh} beside this class, prints
 * (docs/formats/survey.md). The text comes from machines that nobody vouches for: what is malformed
 * is refused, what is too much is cut off, and nothing of it is believed to be more than text and
 * numbers.
 */
public final class SurveyReader {

  private static final int MOST = 20_000;
  private static final int SECTOR = 512;

  /** A tick of {@code /proc/stat}: USER_HZ is 100 on every architecture but alpha (time(7)). */
  private static final double TICKS = 100;

  private static final Pattern UUID =
      Pattern.compile("[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}");
  private static final Pattern GUEST_ID = Pattern.compile("[0-9a-f]{32}");
  private static final Pattern MAC = Pattern.compile("([0-9a-f]{2}:){5}[0-9a-f]{2}");
  private static final Pattern ADDRESS = Pattern.compile("[0-9a-fA-F.:]{2,45}/[0-9]{1,3}");

  /** Devices that hold no data of their own, or come and go. */
  private static final Pattern PASSING = Pattern.compile("(loop|ram|zram|sr|fd|nbd)[0-9].*");

  private final Sections told;
  private final List<Unread> unread = new ArrayList<>();

  private SurveyReader(Sections told) {
    this.told = told;
  }

  /**
   * Reads what the script printed.
   *
   * @throws SurveyException if it is malformed, cut short or tells no time
   */
  public static Survey read(String text) throws SurveyException {
    return new SurveyReader(Sections.of(text)).all();
  }

  private Survey all() throws SurveyException {
    long seconds = Texts.number(told.first("time"));
    if (seconds == 0) {
      throw new SurveyException("it does not tell what time it is there");
    }
    String system = text(told.line("host", 1));
    if (!system.isEmpty() && !system.equals("Linux")) {
      throw new SurveyException("it is a " + system + " system, and only Linux is read");
    }
    Instant at = Instant.ofEpochSecond(Math.min(seconds, 253_402_300_799L));
    Map<String, String> release = release();
    String architecture = text(told.line("host", 3));
    Sockets sockets = new Sockets(told, architecture.startsWith("s390"));
    String account = text(told.first("account"));
    for (String section : told.names()) {
      told.complaint(section).ifPresent(why -> unread.add(new Unread(section, text(why))));
    }
    String hardwareId = told.first("hardware-id").toLowerCase(Locale.ROOT);
    long patched = Texts.number(told.first("patched"));
    Map<String, Long> memory = memory();
    return new Survey(
        at,
        account,
        matching(GUEST_ID, told.first("identity")),
        matching(UUID, hardwareId),
        text(told.line("host", 0)),
        text(told.line("host", 2)),
        architecture,
        release.getOrDefault("PRETTY_NAME", release.getOrDefault("NAME", "")),
        release.getOrDefault("ID", ""),
        release.getOrDefault("VERSION_ID", ""),
        patched == 0 ? Optional.empty() : Optional.of(Instant.ofEpochSecond(patched % (1L << 40))),
        matching(Pattern.compile("uefi|bios"), told.first("firmware")),
        hardware("sys_vendor "),
        hardware("product_name "),
        (int)
            told.lines("processors").stream()
                .filter(l -> l.startsWith("processor"))
                .limit(MOST)
                .count(),
        told.lines("processors").stream()
            .filter(l -> l.startsWith("model name"))
            .map(l -> text(l.substring(l.indexOf(':') + 1)))
            .findFirst()
            .orElse(""),
        memory.getOrDefault("MemTotal", 0L),
        (long) decimal(told.first("uptime").split(" ")[0]),
        devices(),
        mounts(),
        cards(),
        routes(),
        packages(),
        told.lines("services").stream()
            .limit(MOST)
            .map(SurveyReader::text)
            .filter(x -> !x.isEmpty())
            .sorted()
            .toList(),
        sockets.listeners.stream().limit(MOST).toList(),
        sockets.links.stream().limit(MOST).toList(),
        counters(at, memory),
        List.copyOf(unread));
  }

  private static String text(String told) {
    return Texts.plain(told, 255);
  }

  private static String matching(Pattern pattern, String told) {
    return pattern.matcher(told).matches() ? told : "";
  }

  private static double decimal(String told) {
    return told.matches("[0-9]{1,15}([.][0-9]{1,9})?") ? Double.parseDouble(told) : 0;
  }

  /** The fields of os-release(5). */
  private Map<String, String> release() {
    Map<String, String> fields = new HashMap<>();
    for (String line : told.lines("os")) {
      int equals = line.indexOf('=');
      if (equals > 0) {
        String value = line.substring(equals + 1).strip();
        if (value.length() > 1 && (value.startsWith("\"") || value.startsWith("'"))) {
          value = value.substring(1, value.length() - 1).replaceAll("\\\\(.)", "$1");
        }
        fields.put(line.substring(0, equals), text(value));
      }
    }
    return fields;
  }

  private String hardware(String name) {
    return told.lines("hardware").stream()
        .filter(l -> l.startsWith(name))
        .map(l -> text(l.substring(name.length())))
        .findFirst()
        .orElse("");
  }

  /** Bytes by name of /proc/meminfo, which tells KiB. */
  private Map<String, Long> memory() {
    Map<String, Long> fields = new HashMap<>();
    for (String line : told.lines("memory")) {
      String[] part = line.split("[: ]+");
      if (part.length >= 2) {
        fields.put(part[0], Math.min(Texts.number(part[1]), 1L << 50) << 10);
      }
    }
    return fields;
  }

  private List<Device> devices() {
    List<Device> all = new ArrayList<>();
    for (String line : told.lines("blocks")) {
      String[] part = line.split(" ", 5);
      long sectors = part.length < 4 ? 0 : Texts.number(part[1]);
      if (sectors > 0 && sectors < Long.MAX_VALUE / SECTOR && all.size() < MOST) {
        all.add(
            new Device(
                text(part[0]),
                sectors * SECTOR,
                part[2].equals("-") ? List.of() : List.of(text(part[2]).split(",")),
                part[3].equals("1"),
                part.length > 4 ? text(part[4]) : ""));
      }
    }
    all.removeIf(d -> PASSING.matcher(d.name()).matches());
    return List.copyOf(all);
  }

  /**
   * Mounted block devices (proc(5), mountinfo), with the bytes of {@code df -P}. What is mounted at
   * several places is told of once, at the first.
   */
  private List<Mount> mounts() {
    Map<String, String[]> room = new HashMap<>();
    for (String line : told.lines("room")) {
      String[] part = line.split(" +", 6);
      if (part.length == 6) {
        room.put(part[5], part);
      }
    }
    Map<String, Mount> all = new LinkedHashMap<>();
    for (String line : told.lines("mounts")) {
      int dash = line.indexOf(" - ");
      String[] left = line.split(" ");
      String[] right = dash < 0 ? new String[0] : line.substring(dash + 3).split(" ");
      if (left.length < 5 || right.length < 2 || !right[1].startsWith("/dev/")) {
        continue;
      }
      String at = text(unescaped(left[4]));
      String[] told = room.getOrDefault(at, new String[] {"", "0", "0"});
      String device = text(right[1].substring(right[1].lastIndexOf('/') + 1));
      if (all.size() < MOST && !PASSING.matcher(device).matches()) {
        all.putIfAbsent(
            right[1],
            new Mount(
                device,
                at,
                text(right[0]),
                Math.min(Texts.number(told[1]), 1L << 50) << 10,
                Math.min(Texts.number(told[2]), 1L << 50) << 10));
      }
    }
    return List.copyOf(all.values());
  }

  /** With octal escapes of blanks and the like taken back, as proc(5) writes them. */
  private static String unescaped(String told) {
    return told.replace("\\040", " ").replace("\\011", "\t").replace("\\134", "\\");
  }

  private List<Card> cards() {
    Map<String, List<String>> addresses = new HashMap<>();
    for (String line : told.lines("addresses")) {
      String[] part = line.split(" +");
      if (part.length > 3 && part[2].startsWith("inet") && ADDRESS.matcher(part[3]).matches()) {
        addresses.computeIfAbsent(part[1], x -> new ArrayList<>()).add(part[3]);
      }
    }
    List<Card> all = new ArrayList<>();
    for (String line : told.lines("cards")) {
      String[] part = line.split(" ");
      if (part.length == 4 && !part[0].equals("lo") && all.size() < MOST) {
        all.add(
            new Card(
                text(part[0]),
                matching(MAC, part[1]),
                part[2].equals("up"),
                part[3].equals("physical"),
                List.copyOf(addresses.getOrDefault(part[0], List.of()))));
      }
    }
    return List.copyOf(all);
  }

  private List<Route> routes() {
    List<Route> all = new ArrayList<>();
    for (String line : told.lines("routes")) {
      String[] part = line.strip().split(" +");
      if (part[0].matches("default|[0-9a-fA-F.:]+(/[0-9]{1,3})?") && all.size() < MOST) {
        all.add(new Route(part[0], after(part, "via"), after(part, "dev")));
      }
    }
    return List.copyOf(all);
  }

  private static String after(String[] part, String word) {
    for (int i = 1; i + 1 < part.length; i++) {
      if (part[i].equals(word)) {
        return text(part[i + 1]);
      }
    }
    return "";
  }

  private List<Software> packages() {
    List<Software> all = new ArrayList<>();
    Set<Software> once = new HashSet<>();
    for (String line : told.lines("packages")) {
      String[] part = line.strip().split(" +");
      if (part.length >= 2 && all.size() < MOST) {
        Software s =
            new Software(text(part[0]), text(part[1]), part.length > 2 ? text(part[2]) : "");
        if (once.add(s)) {
          all.add(s);
        }
      }
    }
    return List.copyOf(all);
  }

  /**
   * Counters of {@code /proc/stat}, {@code /proc/diskstats} (Documentation/admin-guide/iostats.rst:
   * whole devices that lie on no other) and {@code /proc/net/dev} (cards, not what is layered on
   * them). Memory in use is what is not available to a new program.
   */
  private Usage counters(Instant at, Map<String, Long> memory) {
    Set<String> disks = new HashSet<>();
    devices().stream().filter(d -> d.parents().isEmpty()).forEach(d -> disks.add(d.name()));
    Set<String> counted = new HashSet<>();
    List<Card> cards = cards();
    boolean physical = cards.stream().anyMatch(Card::physical);
    cards.stream().filter(c -> !physical || c.physical()).forEach(c -> counted.add(c.name()));
    OptionalDouble cpu = OptionalDouble.empty();
    long[] disk = new long[4];
    long[] net = new long[2];
    boolean anyDisk = false;
    boolean anyNet = false;
    for (String line : told.lines("counters")) {
      String[] part = line.strip().split("[ :]+");
      if (part[0].equals("cpu") && part.length > 8) {
        // All but idle (4) and waiting (5); guests' time (9, 10) is in the user's already.
        double busy = 0;
        for (int i : new int[] {1, 2, 3, 6, 7}) {
          busy += Texts.number(part[i]);
        }
        cpu = OptionalDouble.of(busy / TICKS);
      } else if (part[0].equals("disk") && part.length > 10 && disks.contains(part[3])) {
        anyDisk = true;
        disk[0] += Texts.number(part[6]) * SECTOR;
        disk[1] += Texts.number(part[4]);
        disk[2] += Texts.number(part[10]) * SECTOR;
        disk[3] += Texts.number(part[8]);
      } else if (part[0].equals("net") && part.length > 10 && counted.contains(part[1])) {
        anyNet = true;
        net[0] += Texts.number(part[2]);
        net[1] += Texts.number(part[10]);
      }
    }
    Long available = memory.get("MemAvailable");
    Long total = memory.get("MemTotal");
    return new Usage(
        at,
        cpu,
        available == null || total == null || available > total
            ? OptionalLong.empty()
            : OptionalLong.of(total - available),
        of(anyDisk, disk[0]),
        of(anyDisk, disk[1]),
        of(anyDisk, disk[2]),
        of(anyDisk, disk[3]),
        of(anyNet, net[0]),
        of(anyNet, net[1]));
  }

  private static OptionalLong of(boolean told, long value) {
    return told ? OptionalLong.of(Math.max(0, value)) : OptionalLong.empty();
  }
}
