package bargelane.blocks.refit;

import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;

/** The old platform's agents in a guest: they have nothing to talk to on another one. */
final class PlatformAgents {

  /** Services that talk to a platform other than those that machines can be taken to here. */
  private static final List<String> AGENTS =
      List.of(
          "open-vm-tools",
          "vgauth",
          "hv-fcopy-daemon",
          "hv-kvp-daemon",
          "hv-vss-daemon",
          "xe-daemon",
          "walinuxagent");

  private PlatformAgents() {}

  /** Edits after which none of those that are there is started. */
  static List<FileEdit> hushed(Place root) throws IOException {
    List<FileEdit> edits = new ArrayList<>();
    for (String agent : AGENTS) {
      String unit = "/etc/systemd/system/" + agent + ".service";
      boolean there = false;
      for (String directory : List.of("/usr/lib/systemd/system/", "/lib/systemd/system/")) {
        there |= root.tree().size(directory + agent + ".service").isPresent();
      }
      if (there && root.tree().size(unit).isEmpty()) {
        edits.add(
            FileEdit.text(
                root,
                unit,
                "",
                "# Put here by a refit: this platform has no channel for it.\n[Unit]\nConditionPathExists=/nonexistent\n",
                agent + " has nothing to talk to there"));
      }
    }
    return edits;
  }
}
