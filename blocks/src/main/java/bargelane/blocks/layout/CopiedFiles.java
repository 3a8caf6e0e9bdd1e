package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * Files that a yard copied out of file systems that are not read here ({@code
 * docs/formats/copied-files.md}): one ext2 file system on a volume of its own, with a directory for
 * each that was looked at, and the file {@code /places} that tells where it was found.
 */
public final class CopiedFiles {

  private static final int MOST_PLACES = 1 << 20;
  private static final int FIELDS = 9;

  /** What is known to belong to an array that is told of at another of its parts. */
  private static final String PART = "part";

  /** What a yard may be told again as the way to a file system. */
  private static final Pattern WITHIN =
      Pattern.compile(
          "(?:array:[0-9a-f:]+)? ?(?:volume:[\\w+.-]+/[\\w+.-]+)? ?(?:subvolume:[\\w@]+)?");

  private CopiedFiles() {}

  /**
   * What lies in a machine's disks, with what was copied.
   *
   * @param disks what our own readers found, disk by disk
   * @param copied the volume that the yard wrote
   * @throws LayoutException if that is not as a yard writes it
   */
  public static List<List<Contents>> with(List<List<Contents>> disks, BlockDevice copied)
      throws IOException {
    Ext4 files = Ext4.open(copied, 0);
    List<List<Contents>> all = new ArrayList<>();
    disks.forEach(d -> all.add(new ArrayList<>(d)));
    for (String line :
        new String(files.read("/places", MOST_PLACES), StandardCharsets.UTF_8).split("\n")) {
      if (line.isEmpty()) {
        continue;
      }
      String[] told = line.split("\t", -1);
      if (told.length != FIELDS || !WITHIN.matcher(told[3]).matches()) {
        throw new LayoutException("the yard told of a place that can't be: " + line);
      }
      int disk = number(told[1], line);
      int partition = number(told[2], line);
      if (disk >= all.size()) {
        throw new LayoutException("the yard told of a disk that is not there: " + line);
      }
      List<Contents> here = all.get(disk);
      int own = own(here, partition);
      Contents first = here.get(own);
      if (told[4].equals(PART)) {
        here.set(own, known(first));
        continue;
      }
      Optional<FileTree> tree =
          told[6].isEmpty()
              ? Optional.of(
                  new Copied(
                      files.below("/" + number(told[0], line)),
                      told[4],
                      told[5],
                      new FileTree.Room(true, count(told[7], line), count(told[8], line))))
              : Optional.empty();
      Contents found =
          new Contents(
              partition,
              first.offset(),
              first.type(),
              told[4].isEmpty() ? "unknown" : told[4],
              tree,
              told[6],
              told[5],
              told[3]);
      // Several may lie in one place, and what they lie in is told of apart.
      if (told[3].startsWith("volume:") || told[3].startsWith("array:")) {
        here.set(own, known(first));
        here.add(found);
      } else {
        here.set(own, found);
      }
    }
    return all;
  }

  private static int own(List<Contents> disk, int partition) throws LayoutException {
    for (int i = 0; i < disk.size(); i++) {
      if (disk.get(i).partition() == partition) {
        return i;
      }
    }
    throw new LayoutException("the yard told of partition " + partition + ", which is not there");
  }

  /** A physical volume whose volumes are listed is not a riddle any more. */
  private static Contents known(Contents c) {
    return new Contents(c.partition(), c.offset(), c.type(), "", Optional.empty(), "", "", "");
  }

  private static int number(String text, String line) throws LayoutException {
    try {
      return Integer.parseUnsignedInt(text);
    } catch (NumberFormatException e) {
      throw new LayoutException("the yard told of a place that can't be: " + line);
    }
  }

  private static long count(String text, String line) throws LayoutException {
    try {
      return Long.parseUnsignedLong(text);
    } catch (NumberFormatException e) {
      throw new LayoutException("the yard told of a place that can't be: " + line);
    }
  }

  /** Copied files of one file system, under its own name. */
  private record Copied(Ext4 files, String kind, String uuid, Room free) implements FileTree {

    @Override
    public Optional<Room> room() {
      return Optional.of(free);
    }

    @Override
    public boolean clean() {
      return true;
    }

    @Override
    public Optional<Long> size(String path) throws IOException {
      return files.size(path);
    }

    @Override
    public byte[] read(String path, int most) throws IOException {
      return files.read(path, most);
    }

    @Override
    public List<String> list(String path) throws IOException {
      return files.list(path);
    }
  }
}
