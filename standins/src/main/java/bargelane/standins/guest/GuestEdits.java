package bargelane.standins.guest;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.layout.Partition;
import bargelane.blocks.refit.FileEdit;
import bargelane.standins.Refusal;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Changes files in guests that are off, with the system's file-system tools on a copy of each
 * partition: {@code e2fsck} and {@code debugfs} for ext2, 3 and 4, {@code mtools} for FAT. Every
 * file is checked before and after, and the partition goes back to its disk only when all of its
 * files are right.
 */
public final class GuestEdits {

  private static final int BLOCK = 65536;
  private static final Pattern ATTRIBUTES =
      Pattern.compile("Mode:\\s+(\\d+).*?User:\\s+(\\d+)\\s+Group:\\s+(\\d+)", Pattern.DOTALL);

  private final Path work;
  private final Path image;
  private final boolean fat;
  private final List<String> told = new ArrayList<>();

  private GuestEdits(Path work, boolean fat) {
    this.work = work;
    this.image = work.resolve("partition");
    this.fat = fat;
  }

  /** Makes edits on disks in boot order, and gives what was done, a line a file. */
  public static String make(List<? extends BlockDevice> disks, List<FileEdit> edits)
      throws IOException {
    Map<String, List<FileEdit>> places = new LinkedHashMap<>();
    for (FileEdit e : edits) {
      if (e.path().matches("(?s).*[\"\\n].*") || !e.path().startsWith("/")) {
        throw Refusal.conflict("path-unfit", "'" + e.path() + "' can't be a guest's file here");
      }
      if (!e.within().isEmpty()) {
        throw Refusal.conflict("refit-failed", "there is no yard here for " + e.within());
      }
      places
          .computeIfAbsent(
              e.disk() + " " + e.partition() + " " + e.fileSystem(), k -> new ArrayList<>())
          .add(e);
    }
    List<String> told = new ArrayList<>();
    for (List<FileEdit> here : places.values()) {
      FileEdit first = here.get(0);
      if (first.disk() >= disks.size()) {
        throw Refusal.missing("disk " + first.disk());
      }
      BlockDevice disk = disks.get(first.disk());
      long offset = 0;
      long length = disk.size();
      if (first.partition() > 0) {
        Partition partition =
            Partition.read(disk).stream()
                .filter(p -> p.number() == first.partition())
                .findFirst()
                .orElseThrow(() -> Refusal.missing("partition " + first.partition()));
        offset = partition.offset();
        length = partition.length();
      }
      Path work = Files.createTempDirectory("refit");
      try {
        GuestEdits at = new GuestEdits(work, first.fileSystem().equals("vfat"));
        at.take(disk, offset, length);
        for (FileEdit e : here) {
          at.edit(e);
        }
        at.giveBack(disk, offset, length);
        told.addAll(at.told);
      } finally {
        Files.deleteIfExists(work.resolve("partition"));
        Files.deleteIfExists(work.resolve("file"));
        Files.deleteIfExists(work);
      }
    }
    return String.join("\n", told);
  }

  // ---- the partition

  private void take(BlockDevice disk, long offset, long length) throws IOException {
    try (FileChannel file =
        FileChannel.open(image, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
      for (BlockDevice.Extent x : disk.status(BlockDevice.Context.ALLOCATION, offset, length)) {
        for (long at = x.offset(); x.set() && at < x.offset() + x.length(); ) {
          ByteBuffer bytes =
              ByteBuffer.allocate((int) Math.min(1 << 20, x.offset() + x.length() - at));
          disk.read(at, bytes);
          bytes.flip();
          while (bytes.hasRemaining()) {
            at += file.write(bytes, at - offset);
          }
        }
      }
      if (file.size() < length) {
        file.write(ByteBuffer.allocate(1), length - 1);
      }
    }
    if (!fat) {
      // The journal of a machine that was not stopped in order is played back first.
      Ended ended = run(List.of("/sbin/e2fsck", "-fp", image.toString()));
      if (ended.code > 1) {
        throw Refusal.conflict("file-system-unsound", ended.out.strip());
      }
    }
  }

  private void giveBack(BlockDevice disk, long offset, long length) throws IOException {
    try (FileChannel file = FileChannel.open(image, StandardOpenOption.READ)) {
      for (long at = 0; at < length; at += BLOCK) {
        ByteBuffer fresh = ByteBuffer.allocate((int) Math.min(BLOCK, length - at));
        while (fresh.hasRemaining() && file.read(fresh, at + fresh.position()) > 0) {
          // What lies behind the file's end stays zero.
        }
        ByteBuffer old = ByteBuffer.allocate(fresh.capacity());
        disk.read(offset + at, old);
        if (!Arrays.equals(fresh.array(), old.array())) {
          disk.write(offset + at, ByteBuffer.wrap(fresh.array()));
        }
      }
    }
    disk.flush();
  }

  // ---- one file

  private void edit(FileEdit e) throws IOException {
    byte[] present = read(e.path());
    String have = present == null || present.length == 0 ? "" : FileEdit.digest(present);
    if (have.equals(e.after())) {
      told.add("was done: " + e.path());
      return;
    }
    byte[] kept = Arrays.copyOf(present == null ? new byte[0] : present, Math.toIntExact(e.keep()));
    if (!have.equals(e.before()) && !FileEdit.digest(kept).equals(e.before())) {
      throw Refusal.conflict("refit-failed", "was changed by others: " + e.path());
    }
    if (e.after().isEmpty()) {
      remove(e.path());
      if (read(e.path()) != null) {
        throw Refusal.conflict("refit-failed", "could not be removed: " + e.path());
      }
      told.add("gone: " + e.path());
      return;
    }
    byte[] content = e.copyOf().isEmpty() ? e.content() : read(e.copyOf());
    if (content == null) {
      throw Refusal.missing("file " + e.copyOf());
    }
    byte[] whole = Arrays.copyOf(kept, kept.length + content.length);
    System.arraycopy(content, 0, whole, kept.length, content.length);
    write(e.path(), whole, present != null);
    byte[] now = read(e.path());
    if (now == null || !FileEdit.digest(now).equals(e.after())) {
      throw Refusal.conflict("refit-failed", "could not be written whole: " + e.path());
    }
    told.add("done: " + e.path());
  }

  /** A file's bytes; null if it is not there. */
  private byte[] read(String path) throws IOException {
    Path file = work.resolve("file");
    Files.deleteIfExists(file);
    String out =
        fat
            ? run(List.of("mcopy", "-n", "-i", image.toString(), "::" + path, file.toString())).out
            : debugfs(false, "dump \"" + path + "\" " + file);
    if (Files.exists(file)) {
      return Files.readAllBytes(file);
    }
    if (!out.toLowerCase(Locale.ROOT).contains("not found")) {
      throw Refusal.conflict("refit-failed", path + " can't be read: " + out.strip());
    }
    return null;
  }

  private void remove(String path) throws IOException {
    if (fat) {
      run(List.of("mdel", "-i", image.toString(), "::" + path));
    } else {
      debugfs(true, "rm \"" + path + "\"");
    }
  }

  private void write(String path, byte[] content, boolean there) throws IOException {
    Path file = Files.write(work.resolve("file"), content);
    List<String> directories = new ArrayList<>();
    for (int slash = path.indexOf('/', 1); slash > 0; slash = path.indexOf('/', slash + 1)) {
      directories.add(path.substring(0, slash));
    }
    if (fat) {
      for (String directory : directories) {
        run(List.of("mmd", "-D", "s", "-i", image.toString(), "::" + directory));
      }
      run(List.of("mcopy", "-o", "-i", image.toString(), file.toString(), "::" + path));
      return;
    }
    String mode = "0100644";
    String user = "0";
    String group = "0";
    if (there) {
      Matcher m = ATTRIBUTES.matcher(debugfs(false, "stat \"" + path + "\""));
      if (m.find()) {
        mode = "010" + m.group(1);
        user = m.group(2);
        group = m.group(3);
      }
    }
    StringBuilder script = new StringBuilder();
    for (String directory : directories) {
      if (!debugfs(false, "stat \"" + directory + "\"").contains("Inode:")) {
        script.append("mkdir \"").append(directory).append("\"\n");
      }
    }
    if (there) {
      script.append("rm \"").append(path).append("\"\n");
    }
    script.append("write ").append(file).append(" \"").append(path).append("\"\n");
    script.append("sif \"").append(path).append("\" mode ").append(mode).append('\n');
    script.append("sif \"").append(path).append("\" uid ").append(user).append('\n');
    script.append("sif \"").append(path).append("\" gid ").append(group).append('\n');
    debugfs(true, script.toString());
  }

  // ---- tools

  private record Ended(int code, String out) {}

  private String debugfs(boolean writing, String script) throws IOException {
    List<String> command = new ArrayList<>(List.of("/sbin/debugfs"));
    if (writing) {
      command.add("-w");
    }
    command.addAll(List.of("-f", "-", image.toString()));
    return run(command, script).out;
  }

  private static Ended run(List<String> command) throws IOException {
    return run(command, "");
  }

  private static Ended run(List<String> command, String input) throws IOException {
    ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true);
    builder.environment().put("MTOOLS_SKIP_CHECK", "1");
    Process process;
    try {
      process = builder.start();
    } catch (IOException e) {
      throw Refusal.conflict(
          "program-missing", "the platform has no " + command.get(0) + " to change guests with");
    }
    try {
      process.getOutputStream().write(input.getBytes(StandardCharsets.UTF_8));
      process.getOutputStream().close();
      String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
      return new Ended(process.waitFor(), out);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("the edit was interrupted", e);
    }
  }
}
