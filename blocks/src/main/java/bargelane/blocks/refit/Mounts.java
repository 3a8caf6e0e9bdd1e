package bargelane.blocks.refit;

import bargelane.blocks.layout.Contents;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Whether what a guest mounts and unlocks at its start will be found on other hardware. */
final class Mounts {

  /** Devices by the identity of what they hold. */
  private static final Pattern IDENTITY =
      Pattern.compile("(?:UUID=|/dev/disk/by-uuid/)\"?([\\w-]+)\"?");

  /** Devices by where they are plugged in, or by a name that holds their bus. */
  private static final Pattern ATTACHED = Pattern.compile("/dev/disk/by-(?:path|id)/");

  private final Guest guest;
  private final boolean hardware;
  private final List<String> refused = new ArrayList<>();
  private final List<String> unjudged = new ArrayList<>();

  /**
   * @param hardware whether it changes, and names with it
   */
  Mounts(Guest guest, boolean hardware) {
    this.guest = guest;
    this.hardware = hardware;
    mounted();
    if (hardware) {
      unlocked();
    }
  }

  /** What the start would stop at. */
  List<String> refused() {
    return refused;
  }

  List<String> unjudged() {
    return unjudged;
  }

  /**
   * What {@code fstab} wants mounted and no disk of the machine holds (fstab(5), systemd.mount(5)):
   * the start would wait for it and then stop.
   */
  private void mounted() {
    Set<String> held = new LinkedHashSet<>();
    boolean all = guest.unread().isEmpty();
    for (List<Contents> disk : guest.contents()) {
      for (Contents c : disk) {
        held.add(c.uuid().toLowerCase(Locale.ROOT));
        // What lies in volumes, arrays and encrypted disks is not known by their own identity.
        all &= c.kind().isEmpty() || !c.uuid().isEmpty() && !c.kind().equals("luks");
      }
    }
    for (String line : guest.text("/etc/fstab").orElse("").split("\n")) {
      String[] fields = line.strip().split("\\s+");
      // The root is found by what the loader says.
      boolean below = fields.length >= 4 && fields[1].startsWith("/") && fields[1].length() > 1;
      if (!below || fields[0].startsWith("#")) {
        continue;
      }
      if (List.of(fields[3].split(",")).stream().anyMatch(Mounts::optional)) {
        continue;
      }
      String at = "/etc/fstab mounts " + fields[0] + " at " + fields[1];
      Matcher m = IDENTITY.matcher(fields[0]);
      if (m.matches() && !held.contains(m.group(1).toLowerCase(Locale.ROOT))) {
        (all ? refused : unjudged)
            .add(
                at
                    + (all
                        ? ", and no disk of the machine holds it: the start would stop there. Mark it"
                            + " nofail at the source"
                        : ", and it is on no disk that can be read here"));
      } else if (hardware && ATTACHED.matcher(fields[0]).lookingAt()) {
        refused.add(
            at
                + ", a name that tells how the disk is attached: the start would stop there. Name it"
                + " by its UUID at the source");
      }
    }
  }

  /**
   * Encrypted disks that {@code crypttab} unlocks by names that change (crypttab(5)): what lies on
   * them is missed.
   */
  private void unlocked() {
    for (String line : guest.text("/etc/crypttab").orElse("").split("\n")) {
      String[] fields = line.strip().split("\\s+");
      boolean named =
          fields.length >= 2
              && !fields[0].startsWith("#")
              && (Refit.DEVICE.matcher(fields[1]).matches()
                  || ATTACHED.matcher(fields[1]).lookingAt());
      if (named && (fields.length < 4 || !List.of(fields[3].split(",")).contains("nofail"))) {
        refused.add(
            "/etc/crypttab unlocks "
                + fields[1]
                + ", a name that changes with the hardware: the start would stop there. Name it by"
                + " its UUID at the source");
      }
    }
  }

  private static boolean optional(String option) {
    return option.equals("nofail") || option.equals("noauto");
  }
}
