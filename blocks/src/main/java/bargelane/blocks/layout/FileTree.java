package bargelane.blocks.layout;

import java.io.IOException;
import java.util.List;
import java.util.Optional;

/**
 * The files of one file system, read without mounting it. Obligations of every implementation:
 *
 * <ul>
 *   <li>Paths are absolute, parts joined by {@code /}; symbolic links are followed inside the file
 *       system, at most {@value #MOST_LINKS} for one path.
 *   <li>Nothing is written, and damage of any kind ends in a {@link LayoutException}, in time and
 *       memory bounded by the sizes asked for.
 * </ul>
 */
public interface FileTree {

  int MOST_LINKS = 16;

  /** The kind as {@code fstab} names it, such as {@code ext4} or {@code vfat}. */
  String kind();

  /** The identity as {@code fstab} writes it after {@code UUID=}; empty if there is none. */
  String uuid();

  /** Whether it was put away in order, so that what is read needs nothing repaired. */
  boolean clean();

  /**
   * What can be written in it.
   *
   * @param writable whether it takes any change at all
   * @param bytes that are free, for a superuser
   * @param files that can be added
   */
  record Room(boolean writable, long bytes, long files) {}

  /** What can be written in it; empty where it can't be told without undue reading. */
  Optional<Room> room() throws IOException;

  /** Size of a regular file in bytes; empty if there is no such file. */
  Optional<Long> size(String path) throws IOException;

  /**
   * A regular file's bytes.
   *
   * @throws LayoutException if it is not there, or larger than {@code most} bytes
   */
  byte[] read(String path, int most) throws IOException;

  /** Names in a directory; empty if there is no such directory. */
  List<String> list(String path) throws IOException;
}
