package bargelane.e2e;

import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/** The page that tells how each stock guest fared; the page itself is what is remembered. */
final class GuestRows {

  /**
   * How one guest fared.
   *
   * @param plan what the refit would change, or what is in the way
   * @param test from the start of its machine to its answer; or how it failed
   * @param cutover the same of its cutover, {@code failback} of the way back
   * @param files whether its files were the same there and back again
   */
  record Row(
      String name,
      String date,
      String plan,
      String test,
      String cutover,
      String failback,
      String files) {

    private List<String> cells() {
      return List.of(name, date, plan, test, cutover, failback, files);
    }
  }

  private static final String HEAD =
      """
      # Guests

      Stock Debian guests, installed by their own tools on old devices (IDE or SATA disks, an e1000 card) and taken to a
      host that has paravirtual devices only, in another network, and back. `./bargelane tour --guests` takes those that
      are not listed here yet, one after the other, and writes a row for each; with names it takes these again. A guest
      is named by its release, how its initramfs is made, how it is started, its file system (xfs: on a logical volume)
      and what configures its network (manager: NetworkManager). Times are from the start of the machine to its answer
      at its planned address, on emulated processors. *Files*: digests, owners and modes of all files under `/boot`,
      `/etc`, `/root`, `/srv`, `/usr/bin`, `/usr/sbin` and `/usr/local`, as the guest itself reads them, there and back,
      but for those that the plan names.

      | guest | date | plan | test | cutover | failback | files |
      |---|---|---|---|---|---|---|
      """;

  private final Map<String, Row> rows = new TreeMap<>();

  /** What a page says. */
  static GuestRows read(String page) {
    GuestRows rows = new GuestRows();
    for (String line : page.split("\n")) {
      String[] cells = line.split("\\|", -1);
      if (cells.length == 9 && cells[1].contains("-") && !cells[1].startsWith("-")) {
        String[] c = Arrays.stream(cells).map(String::strip).toArray(String[]::new);
        rows.put(new Row(c[1], c[2], c[3], c[4], c[5], c[6], c[7]));
      }
    }
    return rows;
  }

  void put(Row row) {
    rows.put(row.name, row);
  }

  List<String> names() {
    return List.copyOf(rows.keySet());
  }

  String page() {
    StringBuilder page = new StringBuilder(HEAD);
    for (Row row : rows.values()) {
      for (String cell : row.cells()) {
        page.append("| ").append(cell.replace('\n', ' ').replace('|', '/').strip()).append(' ');
      }
      page.append("|\n");
    }
    return page.toString();
  }
}
