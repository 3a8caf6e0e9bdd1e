package bargelane.blocks.refit;

import bargelane.blocks.refit.Guest.Loader;
import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** What a guest does not have that can be added to it: see {@link Offer}. */
final class Offers {

  /**
   * A change of a text file, on top of others that there may be.
   *
   * @param before the file as the guest has it; empty if it has none
   */
  record Touch(
      Place place, String path, String before, UnaryOperator<String> change, String reason) {}

  /** Both, so that the screen still shows what the kernel says (kernel parameters, "console="). */
  private static final String CONSOLES = " console=tty0 console=ttyS0,115200n8";

  private static final Pattern SERIAL = Pattern.compile("\\bconsole=ttyS\\d");

  /**
   * A line that gives the kernel its arguments: of GRUB, of the loader specification, of syslinux.
   */
  private static final Pattern ARGUMENTS =
      Pattern.compile(
          "(?mi)^([ \\t]*(?:linux(?:16|efi)?[ \\t]+\\S+|options[ \\t]|append[ \\t])[^\\n]*?)[ \\t]*$");

  private static final Pattern DEFAULTS =
      Pattern.compile("(?m)^(GRUB_CMDLINE_LINUX=)([\"']?)([^\"'\\n]*)\\2[ \\t]*$");

  private static final List<String> CLOCKS =
      List.of(
          "systemd-timesyncd",
          "chrony",
          "chronyd",
          "ntp",
          "ntpd",
          "ntpsec",
          "openntpd",
          "dbus-org.freedesktop.timesync1");

  private final Guest guest;
  private final List<Offer> offers = new ArrayList<>();
  private final Map<String, List<Touch>> touches = new TreeMap<>();

  private Offers(Guest guest) {
    this.guest = guest;
  }

  /** Those for a guest, which has a root file system that can be read. */
  static Offers of(Guest guest) throws IOException {
    Offers found = new Offers(guest);
    found.serialConsole();
    found.timeSync();
    return found;
  }

  List<Offer> offers() {
    return offers;
  }

  /** What one of them changes. */
  List<Touch> touches(String offer) {
    return touches.getOrDefault(offer, List.of());
  }

  private void serialConsole() {
    List<Loader> loaders =
        guest.loaders().stream()
            .filter(l -> l.entries().stream().anyMatch(e -> !e.arguments().isEmpty()))
            .toList();
    if (loaders.isEmpty() || loaders.stream().anyMatch(l -> SERIAL.matcher(l.text()).find())) {
      return;
    }
    String reason = "what the kernel says is on the serial console too";
    List<Touch> all = new ArrayList<>();
    for (Loader l : loaders) {
      all.add(
          new Touch(
              l.place(),
              l.path(),
              l.text(),
              text -> ARGUMENTS.matcher(text).replaceAll("$1" + CONSOLES),
              reason));
    }
    // What its own tools make the loader's file from when a kernel is installed.
    guest
        .text("/etc/default/grub")
        .filter(t -> DEFAULTS.matcher(t).find() && !SERIAL.matcher(t).find())
        .ifPresent(
            t ->
                all.add(
                    new Touch(
                        guest.root().orElseThrow(),
                        "/etc/default/grub",
                        t,
                        text ->
                            DEFAULTS
                                .matcher(text)
                                .replaceAll(
                                    m ->
                                        Matcher.quoteReplacement(
                                            m.group(1)
                                                + '"'
                                                + (m.group(3) + CONSOLES).strip()
                                                + '"')),
                        reason)));
    touches.put(Offer.SERIAL_CONSOLE, all);
    offers.add(
        new Offer(
            Offer.SERIAL_CONSOLE,
            "its kernel says nothing on the serial console, so a start that fails can't be"
                + " explained"));
  }

  private void timeSync() throws IOException {
    Place root = guest.root().orElseThrow();
    boolean there = false;
    for (String directory : List.of("/usr/lib/systemd/system/", "/lib/systemd/system/")) {
      there |= root.tree().size(directory + "systemd-timesyncd.service").isPresent();
    }
    List<String> begun = new ArrayList<>();
    for (String target : List.of("sysinit", "basic", "multi-user", "default")) {
      begun.addAll(root.tree().list("/etc/systemd/system/" + target + ".target.wants"));
    }
    String file = "/etc/systemd/system/sysinit.target.d/50-bargelane-time.conf";
    if (!there
        || begun.stream()
            .anyMatch(
                CLOCKS.stream().map(c -> c + ".service").collect(Collectors.toSet())::contains)
        || root.tree()
            .size("/etc/systemd/system/dbus-org.freedesktop.timesync1.service")
            .isPresent()
        || root.tree().size(file).isPresent()) {
      return;
    }
    touches.put(
        Offer.TIME_SYNC,
        List.of(
            new Touch(
                root,
                file,
                "",
                text -> "# Put here by a refit.\n[Unit]\nWants=systemd-timesyncd.service\n",
                "nothing else keeps its clock right")));
    offers.add(
        new Offer(
            Offer.TIME_SYNC,
            "no service that keeps its clock right is begun with it; systemd-timesyncd is installed"));
  }
}
