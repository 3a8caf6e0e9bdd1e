package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.layout.Ext4;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.zip.CRC32;

/**
 * The records that the small guest writes: one a line, {@code NUMBER TIME DISK CRC32}, the time in
 * hundredths of a second since the epoch by the guest's clock, the disk as the guest names its
 * first one: {@code sda} on old-bus hardware, {@code vda} on paravirtual.
 */
final class Records {

  private static final int MOST = 16 << 20;

  /** One record. */
  record Entry(long number, long hundredths, String disk) {}

  private Records() {}

  /**
   * Reads the records on a data disk, its journal respected.
   *
   * @throws IOException if one is damaged, but for a last one that was cut short
   */
  static List<Entry> read(BlockDevice disk) throws IOException {
    String text =
        new String(Ext4.onFirstPartition(disk).read("/records", MOST), StandardCharsets.US_ASCII);
    List<Entry> entries = new ArrayList<>();
    String[] lines = text.split("\n", -1);
    for (int i = 0; i < lines.length - 1; i++) {
      int end = lines[i].lastIndexOf(' ');
      String body = lines[i].substring(0, Math.max(0, end));
      CRC32 crc = new CRC32();
      crc.update(body.getBytes(StandardCharsets.US_ASCII));
      if (end < 0 || Long.parseLong(lines[i].substring(end + 1), 16) != crc.getValue()) {
        throw new IOException("record in line " + (i + 1) + " is damaged: " + lines[i]);
      }
      String[] parts = body.split(" ");
      entries.add(new Entry(Long.parseLong(parts[0]), Long.parseLong(parts[1]), parts[2]));
    }
    return entries;
  }

  /** Numbers that are missing between the first and the last. */
  static long missing(List<Entry> all) {
    return all.isEmpty()
        ? 0
        : all.get(all.size() - 1).number() - all.get(0).number() + 1 - all.size();
  }

  static Entry last(List<Entry> all) {
    return all.get(all.size() - 1);
  }

  /** The newest that was written on one kind of hardware. */
  static Optional<Entry> newest(List<Entry> all, String disk) {
    return all.stream().filter(e -> e.disk().equals(disk)).reduce((a, b) -> b);
  }

  /** The longest time between two that follow each other on the same hardware, in seconds. */
  static double longestGap(List<Entry> all) {
    long longest = 0;
    for (int i = 1; i < all.size(); i++) {
      if (all.get(i).disk().equals(all.get(i - 1).disk())) {
        longest = Math.max(longest, all.get(i).hundredths() - all.get(i - 1).hundredths());
      }
    }
    return longest / 100.0;
  }
}
