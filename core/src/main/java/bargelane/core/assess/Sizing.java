package bargelane.core.assess;

import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Size;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;

/**
 * Sizing on the configured basis: the cheapest offered size with at least the machine's processors
 * and memory.
 */
public final class Sizing {

  /** Hours of a month: 365.25 days over 12 months. */
  public static final BigDecimal HOURS_A_MONTH = new BigDecimal("730.5");

  private static final BigDecimal GIB = BigDecimal.valueOf(1L << 30);

  /** What a disk costs a month in a storage class. */
  public record DiskCost(String volume, long bytes, String storage, BigDecimal monthly) {}

  /** A chosen size with its derivation: the demand it was chosen for and what the month costs. */
  public record Choice(
      String size,
      int cpus,
      long memoryMib,
      String basis,
      BigDecimal computeMonthly,
      List<DiskCost> disks,
      BigDecimal monthly,
      String currency) {}

  private Sizing() {}

  /** The cheapest fitting size; of equal prices the smaller. Empty if none fits. */
  public static Optional<Size> cheapest(MachineFacts machine, List<Size> offered) {
    return offered.stream()
        .filter(s -> s.cpus() >= machine.cpus() && s.memoryMib() >= machine.memoryMib())
        .min(
            Comparator.comparing(Size::pricePerHour)
                .thenComparing(Size::memoryMib)
                .thenComparing(Size::id));
  }

  /**
   * What a machine costs a month in a size, with each disk in a storage class. Money is rounded to
   * cents per row, so that totals are the sum of what is shown.
   */
  public static Choice cost(
      String basis, MachineFacts machine, Size size, List<Inventory.Storage> storageOfDisk) {
    BigDecimal compute =
        size.pricePerHour().multiply(HOURS_A_MONTH).setScale(2, RoundingMode.HALF_UP);
    BigDecimal total = compute;
    List<DiskCost> disks = new java.util.ArrayList<>();
    for (int i = 0; i < machine.disks().size(); i++) {
      Inventory.Disk disk = machine.disks().get(i);
      Inventory.Storage storage = storageOfDisk.get(i);
      BigDecimal monthly =
          storage
              .pricePerGibMonth()
              .multiply(BigDecimal.valueOf(disk.bytes()))
              .divide(GIB, 2, RoundingMode.HALF_UP);
      disks.add(new DiskCost(disk.volume(), disk.bytes(), storage.id(), monthly));
      total = total.add(monthly);
    }
    return new Choice(
        size.id(), size.cpus(), size.memoryMib(), basis, compute, disks, total, size.currency());
  }

  /** The cheapest storage class of the same medium, or of any if there is none of that medium. */
  public static Optional<Inventory.Storage> storageFor(
      Optional<Inventory.Storage> source, List<Inventory.Storage> offered) {
    Comparator<Inventory.Storage> byPrice =
        Comparator.comparing(Inventory.Storage::pricePerGibMonth);
    return offered.stream()
        .filter(s -> source.map(Inventory.Storage::media).map(s.media()::equals).orElse(true))
        .min(byPrice)
        .or(() -> offered.stream().min(byPrice));
  }
}
