package bargelane.client;

import bargelane.api.PassView;
import java.io.PrintWriter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * A bar for each machine of a pass that runs, in the last lines of a terminal (ECMA-48: cursor up,
 * erase in line).
 */
final class Bars {

  private static final int WIDTH = 30;

  private final PrintWriter out;
  private int lines;

  Bars(PrintWriter out) {
    this.out = out;
  }

  /** Takes the bars away, so that something else may be printed. */
  void clear() {
    for (; lines > 0; lines--) {
      out.print("\u001b[1A\u001b[2K");
    }
    out.flush();
  }

  /**
   * Draws the newest pass if it runs.
   *
   * @param passes as {@code GET /waves/{wave}/passes} gives them
   */
  void draw(List<PassView> passes) {
    clear();
    if (passes.isEmpty() || passes.get(0).endedAt() != null) {
      return;
    }
    Map<String, long[]> machines = new LinkedHashMap<>();
    for (PassView.DiskProgress disk : passes.get(0).disks()) {
      long[] sums = machines.computeIfAbsent(disk.machine(), m -> new long[2]);
      sums[0] += disk.done();
      sums[1] += disk.total();
    }
    machines.forEach((machine, sums) -> out.println(bar(machine, sums[0], sums[1])));
    lines = machines.size();
    out.flush();
  }

  /** One bar with its machine, its share and its bytes. */
  static String bar(String machine, long done, long total) {
    double share = total == 0 ? 0 : Math.min(1, (double) done / total);
    int full = (int) (share * WIDTH);
    return String.format(
        java.util.Locale.ROOT,
        "  %-20s %s%s %3d %%  %s of %s",
        machine.length() > 20 ? machine.substring(0, 20) : machine,
        "█".repeat(full),
        "·".repeat(WIDTH - full),
        (int) (share * 100),
        Output.size(done),
        Output.size(total));
  }
}
