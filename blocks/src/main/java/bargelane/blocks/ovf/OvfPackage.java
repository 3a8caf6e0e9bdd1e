package bargelane.blocks.ovf;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.apache.commons.compress.archivers.tar.TarArchiveEntry;
import org.apache.commons.compress.archivers.tar.TarArchiveInputStream;
import org.apache.commons.compress.archivers.tar.TarConstants;

/**
 * A package as DSP0243 distributes it: a descriptor {@code NAME.ovf} with its files beside it, or
 * all of them in one archive {@code NAME.ova}, the descriptor first (section 5.3). Nothing is
 * unpacked: files of an archive are read where they lie.
 */
public final class OvfPackage {

  private static final int LARGEST_MANIFEST = 1 << 20;
  private static final int MOST_FILES = 10_000;
  private static final Pattern DIGEST =
      Pattern.compile("(SHA1|SHA256|SHA384|SHA512)\\(([^()]+)\\)\\s?=\\s?([0-9A-Fa-f]+)");

  private final Path path;
  private final OvfDescriptor descriptor;

  private OvfPackage(Path path, OvfDescriptor descriptor) {
    this.path = path;
    this.descriptor = descriptor;
  }

  /** Packages of a folder, by name; links are not followed. */
  public static List<Path> in(Path folder) throws IOException {
    try (Stream<Path> all = Files.list(folder)) {
      return all.filter(
              p -> {
                String name = p.getFileName().toString().toLowerCase(Locale.ROOT);
                return (name.endsWith(".ovf") || name.endsWith(".ova"))
                    && Files.isRegularFile(p, LinkOption.NOFOLLOW_LINKS);
              })
          .sorted()
          .limit(MOST_FILES)
          .toList();
    }
  }

  /** Opens a package and reads its descriptor. */
  public static OvfPackage open(Path path) throws IOException {
    return new OvfPackage(path, OvfDescriptor.parse(descriptorOf(path)));
  }

  public OvfDescriptor descriptor() {
    return descriptor;
  }

  private static boolean archive(Path path) {
    return path.toString().toLowerCase(Locale.ROOT).endsWith(".ova");
  }

  private static byte[] descriptorOf(Path path) throws IOException {
    if (!archive(path)) {
      return Content.of(path, OvfDescriptor.LARGEST);
    }
    try (TarArchiveInputStream tar = tar(path)) {
      TarArchiveEntry first = next(tar);
      if (first == null || !first.getName().toLowerCase(Locale.ROOT).endsWith(".ovf")) {
        throw new OvfException("the archive does not begin with a descriptor");
      }
      return Content.bounded(tar, OvfDescriptor.LARGEST, first.getName());
    }
  }

  private static TarArchiveInputStream tar(Path path) throws IOException {
    return new TarArchiveInputStream(new BufferedInputStream(Files.newInputStream(path), 1 << 16));
  }

  private static TarArchiveEntry next(TarArchiveInputStream tar) throws IOException {
    TarArchiveEntry entry;
    try {
      entry = tar.getNextEntry();
    } catch (IllegalArgumentException e) {
      throw new OvfException("the archive is damaged: " + e.getMessage(), e);
    }
    if (entry != null) {
      OvfDescriptor.name(entry.getName());
      if (entry.getLinkFlag() != TarConstants.LF_NORMAL
          && entry.getLinkFlag() != TarConstants.LF_OLDNORM) {
        throw new OvfException("'" + entry.getName() + "' in the archive is not a plain file");
      }
    }
    return entry;
  }

  /**
   * Compares the package with its manifest and with what its descriptor says of its files: what is
   * missing, has another size or another digest. Reads all of it once.
   *
   * @return what is wrong, one sentence each; empty for a sound package
   */
  public List<String> damage() throws IOException {
    List<String> wrong = new ArrayList<>();
    Map<String, String[]> expected = new LinkedHashMap<>();
    Map<String, Long> sizes = new LinkedHashMap<>();
    for (OvfDescriptor.PackagedFile file : descriptor.files().values()) {
      sizes.put(file.href(), file.bytes());
    }
    Optional<byte[]> manifest = manifest();
    if (manifest.isPresent()) {
      read(new String(manifest.get(), StandardCharsets.UTF_8), expected);
    }
    Set<String> seen = new HashSet<>();
    if (archive(path)) {
      try (TarArchiveInputStream tar = tar(path)) {
        for (TarArchiveEntry e = next(tar); e != null; e = next(tar)) {
          if (!seen.add(e.getName())) {
            throw new OvfException("'" + e.getName() + "' is twice in the archive");
          }
          look(e.getName(), tar, expected, sizes, wrong);
        }
      }
    } else {
      Set<String> names = new java.util.TreeSet<>(expected.keySet());
      names.addAll(sizes.keySet());
      for (String name : names) {
        Path file = path.resolveSibling(name);
        if (Files.isRegularFile(file, LinkOption.NOFOLLOW_LINKS)) {
          seen.add(name);
          try (InputStream in = Files.newInputStream(file)) {
            look(name, in, expected, sizes, wrong);
          }
        }
      }
    }
    sizes.keySet().stream()
        .filter(n -> !seen.contains(n))
        .sorted()
        .forEach(n -> wrong.add("its file '" + n + "' is missing"));
    expected.keySet().stream()
        .filter(n -> !seen.contains(n) && !sizes.containsKey(n))
        .sorted()
        .forEach(n -> wrong.add("'" + n + "' of its manifest is missing"));
    return wrong;
  }

  private Optional<byte[]> manifest() throws IOException {
    String name = path.getFileName().toString();
    String beside = name.substring(0, name.length() - 3) + "mf";
    if (!archive(path)) {
      Path file = path.resolveSibling(beside);
      return Files.isRegularFile(file, LinkOption.NOFOLLOW_LINKS)
          ? Optional.of(Content.of(file, LARGEST_MANIFEST))
          : Optional.empty();
    }
    try (TarArchiveInputStream tar = tar(path)) {
      int files = 0;
      for (TarArchiveEntry e = next(tar); e != null; e = next(tar)) {
        if (e.getName().toLowerCase(Locale.ROOT).endsWith(".mf")) {
          return Optional.of(Content.bounded(tar, LARGEST_MANIFEST, e.getName()));
        }
        if (++files > MOST_FILES) {
          throw new OvfException("the archive has more than " + MOST_FILES + " files");
        }
      }
    }
    return Optional.empty();
  }

  private static void read(String manifest, Map<String, String[]> into) throws OvfException {
    int number = 0;
    for (String line : manifest.split("\\R")) {
      number++;
      if (line.isBlank()) {
        continue;
      }
      Matcher m = DIGEST.matcher(line.strip());
      if (!m.matches()) {
        throw new OvfException("line " + number + " of the manifest is not a digest");
      }
      OvfDescriptor.name(m.group(2));
      into.put(
          m.group(2),
          new String[] {"SHA-" + m.group(1).substring(3), m.group(3).toLowerCase(Locale.ROOT)});
    }
  }

  private static void look(
      String name,
      InputStream in,
      Map<String, String[]> expected,
      Map<String, Long> sizes,
      List<String> wrong)
      throws IOException {
    String[] digest = expected.get(name);
    MessageDigest hash;
    try {
      hash = MessageDigest.getInstance(digest == null ? "SHA-256" : digest[0]);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
    byte[] buffer = new byte[1 << 16];
    long bytes = 0;
    for (int n = in.read(buffer); n >= 0; n = in.read(buffer)) {
      if (digest != null) {
        hash.update(buffer, 0, n);
      }
      bytes += n;
    }
    long told = sizes.getOrDefault(name, -1L);
    if (told >= 0 && told != bytes) {
      wrong.add("its file '" + name + "' has " + bytes + " bytes and not " + told);
    } else if (digest != null && !HexFormat.of().formatHex(hash.digest()).equals(digest[1])) {
      wrong.add("'" + name + "' is not what its manifest's " + digest[0] + " says");
    }
  }

  /** Small files, read whole up to a bound. */
  private static final class Content {
    private Content() {}

    static byte[] of(Path file, int most) throws IOException {
      try (InputStream in = Files.newInputStream(file)) {
        return bounded(in, most, file.getFileName().toString());
      }
    }

    static byte[] bounded(InputStream in, int most, String name) throws IOException {
      byte[] bytes = in.readNBytes(most + 1);
      if (bytes.length > most) {
        throw new OvfException("'" + name + "' has more than " + most + " bytes");
      }
      return bytes;
    }
  }
}
