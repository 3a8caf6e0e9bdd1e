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

  /**
   * What was said of a guest that was broken on purpose.
   *
   * @param plan what the plan says is in the way
   * @param start what the test says that was wanted all the same
   * @param named how long after its console told
   */
  record Broken(String how, String date, String plan, String start, String named) {

    private List<String> cells() {
      return List.of(how, date, plan, start, named);
    }
  }

  private static final String HEAD =
      """
      # Guests

      Stock Debian guests, installed by their own tools on old devices (IDE or SATA disks, an e1000 card) and taken to a
      host that has paravirtual devices only, in another network, and back. `./bargelane tour --guests` takes those that
      are not listed here yet, one after the other, and writes a row for each; with names it takes these again. A guest
      is named by its release, how its initramfs is made, how it is started, its file system (xfs: on a logical volume)
      and what configures its network (manager: NetworkManager; bridge: ifupdown, with a bridge over the card; bond:
      networkd, with a bond over the card, a VLAN on it and an address of IPv6 besides). Times are from the start of the machine to its answer
      at its planned address, on emulated processors. *Files*: digests, owners and modes of all files under `/boot`,
      `/etc`, `/root`, `/srv`, `/usr/bin`, `/usr/sbin` and `/usr/local`, as the guest itself reads them, there and back,
      but for those that the plan names.

      | guest | date | plan | test | cutover | failback | files |
      |---|---|---|---|---|---|---|
      """;

  private static final String BROKEN =
      """

      ## Broken on purpose

      A stock guest that is broken one way after the other (`./bargelane tour --broken`). Each time the plan has to say
      so, and a test that is wanted all the same has to name the failure within 5 s of its sign on the guest's console.

      | broken | date | what the plan says | what the test says | named |
      |---|---|---|---|---|
      """;

  private static final int ROW_CELLS = 7;
  private static final int BROKEN_CELLS = 5;

  private final Map<String, Row> rows = new TreeMap<>();
  private final Map<String, Broken> broken = new TreeMap<>();

  /** What a page says. */
  static GuestRows read(String page) {
    GuestRows rows = new GuestRows();
    for (String line : page.split("\n")) {
      String[] c = Arrays.stream(line.split("\\|", -1)).map(String::strip).toArray(String[]::new);
      if (c.length < 3 || !c[2].matches("\\d{4}-\\d\\d-\\d\\d")) {
        continue;
      }
      // A line begins and ends with what stands between its cells.
      if (c.length == ROW_CELLS + 2) {
        rows.put(new Row(c[1], c[2], c[3], c[4], c[5], c[6], c[7]));
      } else if (c.length == BROKEN_CELLS + 2) {
        rows.put(new Broken(c[1], c[2], c[3], c[4], c[5]));
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

  void put(Broken row) {
    broken.put(row.how, row);
  }

  String page() {
    StringBuilder page = new StringBuilder(HEAD);
    rows.values().forEach(r -> line(page, r.cells()));
    if (!broken.isEmpty()) {
      page.append(BROKEN);
      broken.values().forEach(r -> line(page, r.cells()));
    }
    return page.toString();
  }

  private static void line(StringBuilder page, List<String> cells) {
    for (String cell : cells) {
      page.append("| ").append(cell.replace('\n', ' ').replace('|', '/').strip()).append(' ');
    }
    page.append("|\n");
  }
}
