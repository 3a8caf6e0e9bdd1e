package bargelane.blocks.refit;

import bargelane.blocks.layout.LayoutException;
import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdException;
import com.github.luben.zstd.ZstdIOException;
import com.github.luben.zstd.ZstdInputStream;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;
import java.util.zip.DataFormatException;
import java.util.zip.Inflater;
import org.tukaani.xz.SingleXZInputStream;
import org.tukaani.xz.XZIOException;

/**
 * What an initial RAM file system holds: one or more cpio archives of the "new" form, each plain or
 * compressed (kernel documentation, "initramfs buffer format"; gzip RFC 1952, xz, zstd RFC 8878,
 * LZ4's legacy frame). Sizes and counts are bounded, so that a damaged or hostile archive ends in a
 * {@link LayoutException}.
 *
 * @param names paths of all files, without a leading slash
 * @param links where the symbolic links among them lead, as they are written
 * @param texts contents of the small files that tell how it was made
 * @param lz4 unpacked bytes of the LZ4 frame that the file ends with; -1 if it ends otherwise
 */
public record Initramfs(
    Set<String> names, Map<String, String> links, Map<String, byte[]> texts, long lz4) {

  /** How drivers are named to the archive's first process. */
  public enum Style {
    /** A list of modules in {@code conf/modules}, as initramfs-tools reads it. */
    LIST,
    /** Fragments of lists in {@code etc/modules-load.d}, as dracut's and systemd's archives do. */
    FRAGMENTS,
    UNKNOWN
  }

  private static final long MOST_BYTES = 2L << 30;
  private static final int MOST_FILES = 200_000;
  private static final int MOST_NAME = 4096;
  private static final int MOST_TEXT = 8 * 1024 * 1024;
  private static final int HEADER = 110;
  private static final String TRAILER = "TRAILER!!!";
  static final String MODULES_LIST = "conf/modules";
  private static final String MODULES = "lib/modules/";
  private static final String BUILTIN = "/modules.builtin";
  private static final int TYPE = 0170000; // of a mode, as stat(2) has it
  private static final int LINK = 0120000;
  private static final int MOST_LINKS = 40; // as path_resolution(7) allows

  /** Reads all archives of a file. */
  public static Initramfs read(byte[] file) throws IOException {
    Initramfs all = new Initramfs(new TreeSet<>(), new HashMap<>(), new LinkedHashMap<>(), -1);
    long[] budget = {MOST_BYTES};
    long lz4 = -1;
    int at = 0;
    while (at < file.length) {
      if (file[at] == 0) {
        at++;
      } else if (starts(file, at, "070701") || starts(file, at, "070702")) {
        ByteArrayInputStream in = new ByteArrayInputStream(file, at, file.length - at);
        all.archive(in, budget);
        at = file.length - in.available();
      } else if (starts(file, at, "\u001f\u008b")) {
        at += all.gzip(file, at, budget);
      } else if (starts(file, at, "\u00fd7zXZ")) {
        ByteArrayInputStream in = new ByteArrayInputStream(file, at, file.length - at);
        try (SingleXZInputStream xz = new SingleXZInputStream(in, 128 * 1024)) {
          all.archives(xz, budget);
        } catch (XZIOException | EOFException e) {
          throw new LayoutException("the initramfs is damaged: " + e.getMessage());
        }
        at = file.length - in.available();
      } else if (starts(file, at, "(\u00b5/\u00fd")) {
        byte[] rest = java.util.Arrays.copyOfRange(file, at, file.length);
        long frame;
        try {
          frame = Zstd.findFrameCompressedSize(rest);
          try (InputStream zstd =
              new ZstdInputStream(new ByteArrayInputStream(rest, 0, (int) frame))) {
            all.archives(zstd, budget);
          }
        } catch (ZstdException | ZstdIOException e) {
          throw new LayoutException("the initramfs is damaged: " + e.getMessage());
        }
        at += (int) frame;
      } else if (starts(file, at, Lz4Frame.MAGIC)) {
        // It has no end of its own: all that follows are blocks of it.
        Lz4Frame frame = new Lz4Frame(file, at);
        all.archives(frame, budget);
        lz4 = frame.unpacked();
        at = file.length;
      } else {
        throw new LayoutException(
            "the initramfs is compressed in a way that is not read here, at byte " + at);
      }
    }
    return new Initramfs(all.names, all.links, all.texts, lz4);
  }

  private static boolean starts(byte[] file, int at, String magic) {
    byte[] m = magic.getBytes(StandardCharsets.ISO_8859_1);
    return file.length - at >= m.length
        && java.util.Arrays.equals(file, at, at + m.length, m, 0, m.length);
  }

  /** Reads one gzip member and gives how many bytes it takes. */
  private int gzip(byte[] file, int at, long[] budget) throws IOException {
    int p = at + 10;
    if (p > file.length || file[at + 2] != 8) {
      throw new LayoutException("the initramfs has a damaged gzip header");
    }
    int flags = file[at + 3];
    if ((flags & 4) != 0 && p + 2 <= file.length) {
      p += 2 + (file[p] & 0xff) + ((file[p + 1] & 0xff) << 8);
    }
    for (int flag : new int[] {8, 16}) {
      if ((flags & flag) != 0) {
        while (p < file.length && file[p++] != 0) {
          // past a name or a comment
        }
      }
    }
    p += (flags & 2) != 0 ? 2 : 0;
    if (p >= file.length) {
      throw new LayoutException("the initramfs ends in a gzip header");
    }
    Inflater inflater = new Inflater(true);
    try {
      inflater.setInput(file, p, file.length - p);
      archives(
          new InputStream() {
            private final byte[] one = new byte[1];

            @Override
            public int read() throws IOException {
              return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
            }

            @Override
            public int read(byte[] into, int offset, int length) throws IOException {
              try {
                while (length > 0) {
                  int n = inflater.inflate(into, offset, length);
                  if (n > 0) {
                    return n;
                  }
                  if (inflater.finished()) {
                    return -1;
                  }
                  if (inflater.needsInput() || inflater.needsDictionary()) {
                    throw new LayoutException("the initramfs is cut short");
                  }
                }
                return 0;
              } catch (DataFormatException e) {
                throw new LayoutException("the initramfs is damaged: " + e.getMessage());
              }
            }
          },
          budget);
      return (int) (p - at + inflater.getBytesRead() + 8);
    } finally {
      inflater.end();
    }
  }

  /** Archives one after the other, to the end of a stream. */
  private void archives(InputStream in, long[] budget) throws IOException {
    java.io.PushbackInputStream ahead = new java.io.PushbackInputStream(in, 1);
    while (true) {
      int next = ahead.read();
      if (next < 0) {
        return;
      }
      if (next != 0) {
        ahead.unread(next);
        archive(ahead, budget);
      } else if (--budget[0] < 0) {
        throw new LayoutException("the initramfs is larger than is credible");
      }
    }
  }

  private static byte[] take(InputStream in, int n) throws IOException {
    byte[] bytes = in.readNBytes(n);
    if (bytes.length < n) {
      throw new LayoutException("the initramfs is cut short");
    }
    return bytes;
  }

  private static long field(byte[] header, int index) throws LayoutException {
    try {
      return Long.parseLong(new String(header, 6 + 8 * index, 8, StandardCharsets.ISO_8859_1), 16);
    } catch (NumberFormatException e) {
      throw new LayoutException("the initramfs has a damaged entry");
    }
  }

  private void archive(InputStream in, long[] budget) throws IOException {
    while (true) {
      byte[] header = take(in, HEADER);
      if (!starts(header, 0, "070701") && !starts(header, 0, "070702")) {
        throw new LayoutException("the initramfs has an entry of an unknown form");
      }
      long size = field(header, 6);
      long nameLength = field(header, 11);
      if (nameLength < 1 || nameLength > MOST_NAME || names.size() > MOST_FILES) {
        throw new LayoutException("the initramfs has an entry that is not credible");
      }
      budget[0] -= size + HEADER + nameLength;
      if (budget[0] < 0) {
        throw new LayoutException("the initramfs is larger than is credible");
      }
      String name =
          new String(take(in, (int) nameLength), 0, (int) nameLength - 1, StandardCharsets.UTF_8);
      pad(in, HEADER + nameLength);
      if (name.equals(TRAILER)) {
        return;
      }
      String path = name.replaceFirst("^(\\./|/)+", "");
      names.add(path);
      links.remove(path);
      if ((field(header, 1) & TYPE) == LINK && size <= MOST_NAME) {
        links.put(path, new String(take(in, (int) size), StandardCharsets.UTF_8));
      } else if ((path.equals(MODULES_LIST) || path.endsWith(BUILTIN)) && size <= MOST_TEXT) {
        texts.put(path, take(in, (int) size));
      } else {
        try {
          in.skipNBytes(size);
        } catch (EOFException e) {
          throw new LayoutException("the initramfs is cut short");
        }
      }
      pad(in, size);
    }
  }

  private static void pad(InputStream in, long length) throws IOException {
    in.readNBytes((int) (-length & 3));
  }

  /**
   * The style of the tool that made it: initramfs-tools leaves its settings in {@code conf}, dracut
   * and others whose first process is systemd an {@code initrd-release}.
   */
  public Style style() {
    if (names.contains(MODULES_LIST)
        || names.contains("conf/initramfs.conf")
        || names.contains("conf/arch.conf")) {
      return Style.LIST;
    }
    return names.stream()
            .anyMatch(n -> n.endsWith("/initrd-release") || n.contains("lib/modules-load.d"))
        ? Style.FRAGMENTS
        : Style.UNKNOWN;
  }

  /** The kernel version that its modules are of. */
  public Optional<String> kernel() {
    return modulePaths().map(n -> n.substring(0, n.indexOf('/'))).findFirst();
  }

  /** Paths of all its modules below {@code lib/modules}. */
  private Stream<String> modulePaths() {
    return names.stream()
        .filter(n -> n.contains(MODULES) && !KernelModules.name(n).isEmpty())
        .map(n -> n.substring(n.indexOf(MODULES) + MODULES.length()))
        .filter(n -> n.indexOf('/') > 0);
  }

  /** Modules of one kernel that it holds: names, and paths below the version's directory. */
  public Map<String, String> modules(String version) {
    Map<String, String> held = new HashMap<>();
    modulePaths()
        .filter(n -> n.startsWith(version + "/"))
        .forEach(n -> held.put(KernelModules.name(n), n.substring(version.length() + 1)));
    return held;
  }

  /** Whether a driver needs no loading: the kernel has it, as a list in the archive says. */
  public boolean builtIn(String module) {
    return texts.entrySet().stream()
        .filter(t -> t.getKey().endsWith(BUILTIN))
        .flatMap(t -> new String(t.getValue(), StandardCharsets.UTF_8).lines())
        .anyMatch(l -> KernelModules.name(l).equals(module));
  }

  /** Whether it has a program of this name, wherever programs lie. */
  public boolean hasProgram(String name) {
    return names.stream()
        .anyMatch(n -> n.endsWith("bin/" + name) || n.endsWith("lib/systemd/" + name));
  }

  /**
   * A path as it lies in the archive once the links on its way are followed. Whoever adds a file
   * under a linked directory must use it: a directory of that name would take the link's place.
   */
  public String resolved(String path) {
    String rest = path;
    String done = "";
    for (int followed = 0; !rest.isEmpty(); ) {
      int slash = rest.indexOf('/');
      String part = slash < 0 ? rest : rest.substring(0, slash);
      rest = slash < 0 ? "" : rest.substring(slash + 1);
      if (part.isEmpty() || part.equals(".")) {
        continue;
      }
      if (part.equals("..")) {
        done = done.contains("/") ? done.substring(0, done.lastIndexOf('/')) : "";
        continue;
      }
      String here = done.isEmpty() ? part : done + "/" + part;
      String link = links.get(here);
      if (link == null || ++followed > MOST_LINKS) {
        done = here;
      } else {
        done = link.startsWith("/") ? "" : done;
        rest = rest.isEmpty() ? link : link + "/" + rest;
      }
    }
    return done;
  }

  // ---- writing

  /** What is appended to the file that this was read from so that it holds more files. */
  public byte[] more(byte[] file, Map<String, byte[]> files) throws IOException {
    byte[] archive = write(files);
    long before = lz4 < 0 ? file.length : lz4;
    byte[] padded = new byte[(int) (-before & 3) + archive.length];
    System.arraycopy(archive, 0, padded, padded.length - archive.length, archive.length);
    return lz4 < 0 ? padded : Lz4Frame.blocks(padded);
  }

  /** Files to put in an archive; parent directories are added. */
  public static byte[] write(Map<String, byte[]> files) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    Set<String> directories = new TreeSet<>();
    for (String path : files.keySet()) {
      for (int slash = path.indexOf('/'); slash > 0; slash = path.indexOf('/', slash + 1)) {
        directories.add(path.substring(0, slash));
      }
    }
    int inode = 1;
    for (String directory : directories) {
      entry(out, inode++, 040755, directory, new byte[0]);
    }
    for (Map.Entry<String, byte[]> file : files.entrySet()) {
      entry(out, inode++, 0100644, file.getKey(), file.getValue());
    }
    entry(out, 0, 0, TRAILER, new byte[0]);
    return out.toByteArray();
  }

  private static void entry(
      ByteArrayOutputStream out, int inode, int mode, String name, byte[] content) {
    byte[] raw = (name + "\0").getBytes(StandardCharsets.UTF_8);
    int[] fields = {inode, mode, 0, 0, 1, 0, content.length, 0, 0, 0, 0, raw.length, 0};
    StringBuilder header = new StringBuilder("070701");
    for (int field : fields) {
      header.append(String.format(java.util.Locale.ROOT, "%08X", field));
    }
    out.writeBytes(header.toString().getBytes(StandardCharsets.ISO_8859_1));
    out.writeBytes(raw);
    out.writeBytes(new byte[-(HEADER + raw.length) & 3]);
    out.writeBytes(content);
    out.writeBytes(new byte[-content.length & 3]);
  }
}
