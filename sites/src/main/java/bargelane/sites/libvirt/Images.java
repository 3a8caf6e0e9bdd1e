package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Disk images on a host through the emulator's own programs: {@code qemu-img} to make and merge
 * layers and to begin and end bitmaps, {@code qemu-nbd} to serve one image over a Unix socket. A
 * server is one process that outlives us; its socket and process id are named after its export, so
 * that any service node can end it.
 */
final class Images {

  private static final ObjectMapper JSON = new ObjectMapper();
  static final int GRANULARITY = 65536;

  /** How often an image is looked at that somebody else may be changing. */
  private static final int LOOKS = 4;

  /** The magic of the format, and what its header has at least in version 3. */
  private static final int QCOW2 = 0x514649fb;

  private static final int HEADER = 104;

  // offsets in it
  private static final int VERSION = 4;
  private static final int SIZE = 24;
  private static final int TABLE_ENTRIES = 36;
  private static final int TABLE_OFFSET = 40;
  private static final int INCOMPATIBLE = 72;

  private final HostShell shell;
  private final String runtime;

  /**
   * @param runtime directory on the host for sockets: a short path
   */
  Images(HostShell shell, String runtime) {
    this.shell = shell;
    this.runtime = runtime;
  }

  /** Makes an empty image; one that is there stays. It is there whole or not at all. */
  void create(String file, long bytes) {
    shell.make(file, "qemu-img", "create", "-q", "-f", "qcow2", "{}", String.valueOf(bytes));
  }

  /** Makes a layer on an image; one that is there stays. */
  void layer(String file, String on, String format) {
    shell.make(file, "qemu-img", "create", "-q", "-f", "qcow2", "-b", on, "-F", format, "{}");
  }

  void remove(String file) {
    shell.remove(file);
  }

  void grow(String file, String format, long bytes) {
    shell.must("qemu-img", "resize", "-q", "-f", format, file, String.valueOf(bytes));
  }

  /**
   * Merges a layer into the one below it, which then holds the layer's content.
   *
   * @throws SiteException of kind may-pass while either is in use
   */
  void commit(String layer, String into) {
    shell.must(
        HostShell.COPYING, "qemu-img", "commit", "-q", "-f", "qcow2", "-d", "-b", into, layer);
  }

  /**
   * Lays a layer on another image, or on none; its own content is completed by what the former one
   * held.
   */
  void rebase(String layer, String on, String format) {
    if (on.isEmpty()) {
      shell.must(HostShell.COPYING, "qemu-img", "rebase", "-q", "-f", "qcow2", "-b", "", layer);
    } else {
      shell.must(
          HostShell.COPYING,
          "qemu-img",
          "rebase",
          "-q",
          "-f",
          "qcow2",
          "-b",
          on,
          "-F",
          format,
          layer);
    }
  }

  /**
   * Whether a disk's first sector ends as a boot record does. It is looked at without a lock, since
   * another may start the machine meanwhile.
   */
  boolean hasBootRecord(String file, String format) {
    return shell
        .must("qemu-io", "-r", "-U", "-f", format, "-c", "read -v 510 2", file)
        .startsWith("000001fe:  55 aa ");
  }

  /** Tells a layer that the image below it has another name; its content must be the same. */
  void relink(String layer, String on, String format) {
    shell.must("qemu-img", "rebase", "-q", "-f", "qcow2", "-u", "-b", on, "-F", format, layer);
  }

  /** An image: its size as a disk, its bitmaps and whether each still tracks. */
  record Info(long bytes, Map<String, Boolean> bitmaps) {}

  /**
   * Looks at an image, in use or not. Whoever writes it meanwhile may be halfway through a change
   * of its tables, so one that can't be read is looked at again.
   *
   * @param format as its machine's definition or our catalogue declares it. It is never guessed: on
   *     a raw disk the guest writes what a guess goes by, and could name any file of the host.
   */
  Info info(String file, String format) {
    String[] command = {"qemu-img", "info", "-U", "-f", format, "--output=json", file};
    HostShell.Result told = shell.run(command);
    for (int i = 1; i < LOOKS && told.code() != 0; i++) {
      told = shell.run(command);
    }
    return told(file, shell.succeeded(told, command[0]));
  }

  /**
   * Whether a bitmap of an image that no machine has open still tracks; none if there is no such.
   * All bitmaps of an image are marked as in use while somebody writes it, and stay so where the
   * writer died. One that is marked is therefore looked at again under the image's lock.
   *
   * @throws SiteException of kind may-pass while somebody writes the image
   */
  Optional<Boolean> tracks(String file, String format, String bitmap) {
    Boolean tracks = info(file, format).bitmaps().get(bitmap);
    if (Boolean.FALSE.equals(tracks)) {
      tracks =
          told(file, shell.must("qemu-img", "info", "-f", format, "--output=json", file))
              .bitmaps()
              .get(bitmap);
    }
    return Optional.ofNullable(tracks);
  }

  private static Info told(String file, String text) {
    try {
      JsonNode node = JSON.readTree(text);
      Map<String, Boolean> bitmaps = new HashMap<>();
      for (JsonNode b : node.path("format-specific").path("data").path("bitmaps")) {
        boolean inUse = false;
        for (JsonNode flag : b.path("flags")) {
          inUse |= flag.asText().equals("in-use");
        }
        bitmaps.put(b.path("name").asText(), !inUse);
      }
      return new Info(node.path("virtual-size").asLong(), bitmaps);
    } catch (JsonProcessingException e) {
      throw new SiteException(
          SiteException.Kind.FINAL, "malformed", "qemu-img info of " + file + " is garbled", e);
    }
  }

  /**
   * Whether a layer holds nothing of its own and is of the size of the image below it: none of the
   * entries of its first table is set (QEMU, "qcow2 image file format", header and cluster
   * mapping). One whose header tells of what we don't know does not count.
   */
  boolean blank(String layer, String below) {
    ByteBuffer header = part(layer, 0, HEADER);
    ByteBuffer under = part(below, 0, HEADER);
    if (!known(header) || !known(under) || header.getLong(SIZE) != under.getLong(SIZE)) {
      return false;
    }
    ByteBuffer table =
        part(layer, header.getLong(TABLE_OFFSET), header.getInt(TABLE_ENTRIES) * Long.BYTES);
    boolean whole = table.remaining() == header.getInt(TABLE_ENTRIES) * Long.BYTES;
    while (table.remaining() >= Long.BYTES) {
      if (table.getLong() != 0) {
        return false;
      }
    }
    return whole;
  }

  private static boolean known(ByteBuffer header) {
    return header.remaining() == HEADER
        && header.getInt(0) == QCOW2
        && header.getInt(VERSION) == 3
        && header.getLong(INCOMPATIBLE) == 0;
  }

  private ByteBuffer part(String file, long from, int most) {
    return ByteBuffer.wrap(shell.read(file, from, most).orElse(new byte[0]));
  }

  /**
   * Begins a bitmap in an image that nobody has open. One of the name that tracks was begun by a
   * call that was cut short, or by another who does the same now: it tells all that is asked of it,
   * and stays.
   */
  void beginBitmap(String file, String format, String name) {
    Optional<Boolean> tracks = tracks(file, format, name);
    if (tracks.equals(Optional.of(true))) {
      return;
    }
    if (tracks.isPresent()) {
      removeBitmap(file, name);
    }
    try {
      shell.must(
          "qemu-img",
          "bitmap",
          "--add",
          "-g",
          String.valueOf(GRANULARITY),
          "-f",
          "qcow2",
          file,
          name);
    } catch (SiteException e) {
      if (!tracks(file, format, name).equals(Optional.of(true))) {
        throw e;
      }
    }
  }

  /** Ends a bitmap; gives whether it could be. */
  boolean removeBitmap(String file, String name) {
    return shell.run("qemu-img", "bitmap", "--remove", "-f", "qcow2", file, name).code() == 0;
  }

  // ---- servers

  private String base(String export) {
    return runtime + "/" + Names.brief(export);
  }

  /**
   * Serves an image under an export name, ending an earlier server of the name first. Gives the
   * socket as it can be opened from here.
   *
   * <p>The server passes the host's cache by, so that what is read back after a flush comes from
   * the disk; where the image's file system can't do that, it reads through the cache.
   */
  String serve(String export, String file, String format, boolean write, String bitmap) {
    try {
      shell.serve(base(export), server(export, file, format, write, bitmap, "none"));
    } catch (SiteException e) {
      if (!e.getMessage().contains("O_DIRECT")) {
        throw e;
      }
      shell.serve(base(export), server(export, file, format, write, bitmap, "writeback"));
    }
    return shell.near(base(export) + ".sock");
  }

  private List<String> server(
      String export, String file, String format, boolean write, String bitmap, String cache) {
    List<String> command = new ArrayList<>(List.of("qemu-nbd", "--fork", "--persistent"));
    command.addAll(List.of("--shared=16", "--socket=" + base(export) + ".sock"));
    command.addAll(List.of("--pid-file=" + base(export) + ".pid", "--export-name=" + export));
    command.addAll(List.of("--format=" + format, "--cache=" + cache));
    command.add(write ? "--discard=unmap" : "--read-only");
    if (!bitmap.isEmpty()) {
      command.add("--bitmap=" + bitmap);
    }
    command.add(file);
    return command;
  }

  /** Ends a server; when this returns it has flushed and let go of its image. */
  void close(String export) {
    shell.end(base(export));
    shell.away(base(export) + ".sock");
  }
}
