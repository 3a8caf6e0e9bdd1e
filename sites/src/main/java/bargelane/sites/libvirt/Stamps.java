package bargelane.sites.libvirt;

import bargelane.sites.libvirt.Catalogue.State;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * By what a snapshot of a machine that is off is known to be untouched: when its images were
 * changed last.
 */
final class Stamps {

  static final String CHANGING = "changing";

  private static final String CUT_SHORT = "cut short";

  private final Host host;

  Stamps(Host host) {
    this.host = host;
  }

  /**
   * What images go by now: when they were changed last, and how large they are; empty for one that
   * is not there.
   */
  Map<String, String> of(List<String> files) {
    Map<String, HostShell.Stat> now = host.shell.stat(files);
    Map<String, String> stamps = new LinkedHashMap<>();
    files.forEach(f -> stamps.put(f, now.containsKey(f) ? now.get(f).stamp() : ""));
    return stamps;
  }

  /**
   * Tells the snapshots that go by these stamps of another. One whose images were being changed
   * when that was cut short is not believed any more.
   */
  void tell(Catalogue catalogue, Map<String, String> from, String to) {
    catalogue.change(
        s -> {
          from.forEach(
              (file, stamp) -> {
                tell(s, file, CHANGING, CUT_SHORT);
                tell(s, file, stamp, to);
              });
          return null;
        });
  }

  static void tell(State s, String file, String from, String to) {
    s.snapshots()
        .replaceAll(
            (name, snapshot) ->
                from.equals(snapshot.stamps().get(file)) ? snapshot.stamped(file, to) : snapshot);
  }
}
