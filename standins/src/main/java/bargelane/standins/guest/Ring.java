package bargelane.standins.guest;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.layout.Ext4;
import bargelane.blocks.layout.Ext4.FileExtent;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * The ring of records that a guest's workload keeps in a preallocated file. Writes go through the
 * file's own extents, so the file system stays sound; what survives on any copy of the disk can be
 * read back from it.
 *
 * <p>A record is one 512-byte sector: 8 bytes {@code BLRING01}, sequence number (8), instant as
 * seconds (8) and nanoseconds (4), origin (16 bytes, ASCII, zero padded), CRC-32C of all before
 * (4). Big endian.
 */
public final class Ring {

  /** Where the file lies in the guest. */
  public static final String PATH = "/srv/ring";

  /** Bytes a record. */
  public static final int RECORD = 512;

  private static final long MAGIC = 0x424c52494e473031L;
  private static final int CHECKED = 44;

  /** One record: its number, when the guest wrote it, and the site where the guest ran. */
  public record Entry(long sequence, Instant at, String origin) {}

  private final BlockDevice disk;
  private final List<FileExtent> extents;
  private final long slots;

  private Ring(BlockDevice disk, List<FileExtent> extents) {
    this.disk = disk;
    this.extents = extents;
    this.slots = extents.stream().mapToLong(e -> e.length() / RECORD).sum();
  }

  /**
   * Finds the ring on a disk.
   *
   * @throws IOException if the disk has no sound file system with a ring
   */
  public static Ring open(BlockDevice disk) throws IOException {
    return new Ring(disk, Ext4.onFirstPartition(disk).extents(PATH));
  }

  /** Number of records that fit. */
  public long slots() {
    return slots;
  }

  private long place(long slot) {
    long at = slot * RECORD;
    for (FileExtent extent : extents) {
      if (at < extent.length()) {
        return extent.disk() + at;
      }
      at -= extent.length();
    }
    throw new IllegalStateException("slot " + slot + " of " + slots);
  }

  /** Writes one record over the oldest. */
  public void write(Entry entry) throws IOException {
    ByteBuffer sector = ByteBuffer.allocate(RECORD);
    sector
        .putLong(MAGIC)
        .putLong(entry.sequence())
        .putLong(entry.at().getEpochSecond())
        .putInt(entry.at().getNano());
    byte[] origin = entry.origin().getBytes(StandardCharsets.US_ASCII);
    sector.put(origin, 0, Math.min(16, origin.length)).position(CHECKED);
    sector.putInt(checksum(sector)).rewind().limit(RECORD);
    disk.write(place(entry.sequence() % slots), sector);
  }

  private static int checksum(ByteBuffer sector) {
    CRC32C crc = new CRC32C();
    crc.update(sector.array(), sector.arrayOffset(), CHECKED);
    return (int) crc.getValue();
  }

  /**
   * All whole records, by number.
   *
   * @throws IOException if a record's checksum is wrong: half a write survived
   */
  public List<Entry> read() throws IOException {
    List<Entry> entries = new ArrayList<>();
    for (FileExtent extent : extents) {
      ByteBuffer bytes = ByteBuffer.allocate((int) extent.length());
      disk.read(extent.disk(), bytes);
      for (int at = 0; at + RECORD <= bytes.capacity(); at += RECORD) {
        entry(bytes.slice(at, RECORD)).ifPresent(entries::add);
      }
    }
    entries.sort(Comparator.comparingLong(Entry::sequence));
    return entries;
  }

  private static Optional<Entry> entry(ByteBuffer sector) throws IOException {
    if (sector.getLong(0) != MAGIC) {
      return Optional.empty();
    }
    if (sector.getInt(CHECKED) != checksum(sector)) {
      throw new IOException("record " + sector.getLong(8) + " of the ring is torn");
    }
    byte[] origin = new byte[16];
    sector.get(28, origin);
    return Optional.of(
        new Entry(
            sector.getLong(8),
            Instant.ofEpochSecond(sector.getLong(16), sector.getInt(24)),
            new String(origin, StandardCharsets.US_ASCII).trim()));
  }

  /** The newest record. */
  public Optional<Entry> newest() throws IOException {
    List<Entry> all = read();
    return all.isEmpty() ? Optional.empty() : Optional.of(all.get(all.size() - 1));
  }
}
