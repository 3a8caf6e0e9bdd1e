package bargelane.bench;

import com.sun.jna.Library;
import com.sun.jna.Native;
import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.TreeMap;

/**
 * The processes of this machine by the kernel's own account: acct(2), which needs root and writes a
 * record for each that ends (acct(5), version 3: 64 bytes, the program's name at 48).
 */
final class ProcessStarts implements Closeable {

  /** The one call of the C library that is needed. */
  interface Accounting extends Library {
    int acct(String file);
  }

  private static final int RECORD = 64;
  private static final int NAME = 48;
  private static final int VERSION = 1;

  private static final Accounting LIBRARY = Native.load("c", Accounting.class);
  private final Path file;

  ProcessStarts() throws IOException {
    file = Files.createTempFile("bargelane-processes", "");
    if (LIBRARY.acct(file.toString()) != 0) {
      Files.delete(file);
      throw new IOException("processes are counted by the kernel's accounting, which needs root");
    }
  }

  /** How many of each program have ended since this was begun. */
  Map<String, Integer> ended() throws IOException {
    Map<String, Integer> ended = new TreeMap<>();
    ByteBuffer records = ByteBuffer.wrap(Files.readAllBytes(file)).order(ByteOrder.nativeOrder());
    for (int at = 0; at + RECORD <= records.limit(); at += RECORD) {
      if ((records.get(at + VERSION) & 0x0f) != 3) {
        throw new IOException("the kernel writes records of another version");
      }
      byte[] name = new byte[RECORD - NAME];
      records.get(at + NAME, name);
      ended.merge(new String(name, StandardCharsets.UTF_8).replaceAll("\0.*", ""), 1, Integer::sum);
    }
    return ended;
  }

  @Override
  public void close() throws IOException {
    LIBRARY.acct(null);
    Files.delete(file);
  }
}
