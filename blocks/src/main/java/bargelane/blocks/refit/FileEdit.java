package bargelane.blocks.refit;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/**
 * One change of one file in a guest.
 *
 * @param disk in boot order, from 0
 * @param partition as its table numbers it
 * @param within how the file system is reached from the partition, as {@link Guest.Place} says
 * @param fileSystem its kind, as a mount names it
 * @param path from the file system's own root
 * @param keep bytes of the present file that stay, from its beginning
 * @param content what comes after them
 * @param copyOf a file of the same file system whose bytes are the whole content; empty for none
 * @param former what {@code content} replaces; empty where nothing but the kept bytes was there
 * @param before SHA-256 of the file that this was made for; empty if there was none
 * @param after SHA-256 of the file when this is done; empty if it is to be gone
 * @param reason why, for a person
 * @param difference what changes, for a person: lines that go begin with a dash, new ones with a
 *     plus
 */
public record FileEdit(
    int disk,
    int partition,
    String within,
    String fileSystem,
    String path,
    long keep,
    byte[] content,
    String copyOf,
    byte[] former,
    String before,
    String after,
    String reason,
    String difference) {

  /** An edit that was kept before there were these begins with its partition, and copies none. */
  public FileEdit {
    within = within == null ? "" : within;
    copyOf = copyOf == null ? "" : copyOf;
  }

  /** Whether it is in a file system. */
  boolean at(Guest.Place place) {
    return disk == place.disk() && partition == place.partition() && within.equals(place.within());
  }

  /** The SHA-256 of some bytes, in hex. */
  public static String digest(byte[]... parts) {
    try {
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      for (byte[] part : parts) {
        sha.update(part);
      }
      return HexFormat.of().formatHex(sha.digest());
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Replaces a text file, or makes one. */
  static FileEdit text(Guest.Place place, String path, String before, String after, String reason) {
    byte[] content = after.getBytes(StandardCharsets.UTF_8);
    return new FileEdit(
        place.disk(),
        place.partition(),
        place.within(),
        place.tree().kind(),
        path,
        0,
        content,
        "",
        before.getBytes(StandardCharsets.UTF_8),
        before.isEmpty() ? "" : digest(before.getBytes(StandardCharsets.UTF_8)),
        digest(content),
        reason,
        difference(before, after));
  }

  /** Appends bytes to a file. */
  static FileEdit append(
      Guest.Place place, String path, byte[] file, byte[] more, String reason, String told) {
    return new FileEdit(
        place.disk(),
        place.partition(),
        place.within(),
        place.tree().kind(),
        path,
        file.length,
        more,
        "",
        new byte[0],
        digest(file),
        digest(file, more),
        reason,
        told);
  }

  /**
   * Makes a file that has the bytes of another.
   *
   * @param of path of the other, and its bytes
   */
  static FileEdit copy(Guest.Place place, String path, String of, byte[] bytes, String reason) {
    return new FileEdit(
        place.disk(),
        place.partition(),
        place.within(),
        place.tree().kind(),
        path,
        0,
        new byte[0],
        of,
        new byte[0],
        "",
        digest(bytes),
        reason,
        "+ a copy of " + of + ", " + bytes.length + " bytes\n");
  }

  /** The edit without the bytes that it brings: enough to take it back. */
  public FileEdit remembered() {
    return new FileEdit(
        disk,
        partition,
        within,
        fileSystem,
        path,
        keep,
        new byte[0],
        copyOf,
        former,
        before,
        after,
        reason,
        difference);
  }

  /** What takes this edit back. */
  FileEdit reversed() {
    StringBuilder back = new StringBuilder();
    difference
        .lines()
        .forEach(
            l -> back.append(l.startsWith("-") ? '+' : '-').append(l.substring(1)).append('\n'));
    return new FileEdit(
        disk,
        partition,
        within,
        fileSystem,
        path,
        keep,
        former,
        "",
        new byte[0],
        after,
        before,
        "taken back: " + reason,
        back.toString());
  }

  /** Lines that go and lines that come, between what both texts begin and end with. */
  static String difference(String before, String after) {
    String[] a = before.isEmpty() ? new String[0] : before.split("\n");
    String[] b = after.split("\n");
    int head = 0;
    while (head < a.length && head < b.length && a[head].equals(b[head])) {
      head++;
    }
    int tail = 0;
    while (tail < a.length - head
        && tail < b.length - head
        && a[a.length - 1 - tail].equals(b[b.length - 1 - tail])) {
      tail++;
    }
    StringBuilder text = new StringBuilder();
    for (int i = head; i < a.length - tail; i++) {
      text.append("- ").append(a[i]).append('\n');
    }
    for (int i = head; i < b.length - tail; i++) {
      text.append("+ ").append(b[i]).append('\n');
    }
    return text.toString();
  }
}
