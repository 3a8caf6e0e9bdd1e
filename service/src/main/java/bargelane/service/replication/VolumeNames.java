package bargelane.service.replication;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/** Names of what is made for a machine at a site: its disks' volumes, and yards. */
public final class VolumeNames {

  /** The longest part that is the machine's name: a file's name may have 255 bytes. */
  private static final int LONGEST = 120;

  private VolumeNames() {}

  /**
   * A volume's name, which is the name of a file on some platforms: of the machine's own what can
   * be part of one.
   *
   * @param of id of the leg or the run that it is made for
   */
  public static String volume(String of, MemberEntity machine, int disk) {
    return "bl-" + of + "-" + part(machine.name) + "-d" + disk;
  }

  /**
   * The name of a clone of a disk that a storage system carries.
   *
   * @param number its place among all disks of the machine
   */
  public static String carried(String of, MemberEntity machine, int number) {
    return "bl-" + of + "-" + part(machine.name) + "-c" + number;
  }

  /**
   * The name of a machine of ours that works for another one for a while.
   *
   * @param of id of the run that it is made for
   * @param what it does
   */
  public static String yard(String of, String what, MemberEntity machine) {
    return "bl-" + of + "-" + what + "-" + part(machine.name);
  }

  private static String digest(String name) {
    try {
      byte[] digest =
          MessageDigest.getInstance("SHA-256").digest(name.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest, 0, 16);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /** A machine's name as a part of a volume's; names that differ are told apart. */
  private static String part(String name) {
    String plain = name.replaceAll("[^A-Za-z0-9._-]", "-");
    return plain.equals(name) && name.length() <= LONGEST
        ? name
        : plain.substring(0, Math.min(LONGEST, plain.length())) + "-" + digest(name);
  }
}
