package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/** The client's side of the handshake, up to the moment when the export is open. */
final class NbdNegotiation {

  private final Wire wire;
  private final String export;

  /** Whether the server answers in structured replies. */
  private boolean structured;

  private final Map<String, Integer> contexts = new HashMap<>();
  private long size;
  private int flags;

  NbdNegotiation(Wire wire, String export) {
    this.wire = wire;
    this.export = export;
  }

  boolean structured() {
    return structured;
  }

  /** The number by which the server names a metadata context; -1 if it does not offer it. */
  int context(String name) {
    return contexts.getOrDefault(name, -1);
  }

  long size() {
    return size;
  }

  /** The transmission flags. */
  int flags() {
    return flags;
  }

  void greet() throws IOException {
    ByteBuffer hello = wire.take(18);
    if (hello.getLong() != MAGIC || hello.getLong() != OPTION_MAGIC) {
      throw new IOException("the peer does not speak the newstyle NBD handshake");
    }
    if ((hello.getShort() & FIXED_NEWSTYLE) == 0) {
      throw new IOException("the disk server does not speak fixed newstyle");
    }
    wire.write(ByteBuffer.allocate(4).putInt(FIXED_NEWSTYLE | NO_ZEROES).flip());
  }

  /** Goes over to TLS. */
  void secure(NbdAddress.Tls address) throws IOException {
    option(OPT_STARTTLS, ByteBuffer.allocate(0));
    if (reply(OPT_STARTTLS).type != REP_ACK) {
      throw new IOException("the disk server refused TLS");
    }
    wire.secure(Tls.client(address));
  }

  /** Opens the export, with those of the contexts that the server offers. */
  void open(List<String> wanted) throws IOException {
    option(OPT_STRUCTURED_REPLY, ByteBuffer.allocate(0));
    structured = reply(OPT_STRUCTURED_REPLY).type == REP_ACK;
    byte[] name = export.getBytes(StandardCharsets.UTF_8);
    if (structured) {
      choose(name, wanted);
    }
    option(
        OPT_GO,
        ByteBuffer.allocate(6 + name.length)
            .putInt(name.length)
            .put(name)
            .putShort((short) 0)
            .flip());
    OptionReply r = reply(OPT_GO);
    while (r.type == REP_INFO) {
      if (r.data.remaining() >= 12 && r.data.getShort() == INFO_EXPORT) {
        size = r.data.getLong();
        flags = r.data.getShort() & 0xffff;
      }
      r = reply(OPT_GO);
    }
    if (r.type != REP_ACK) {
      throw new NbdException(
          "open",
          export,
          r.type & 0x7fffffff,
          r.type == REP_ERR_UNKNOWN
              ? "no such export; it may have been revoked"
              : r.type == REP_ERR_POLICY
                  ? "the export is for somebody who shows another certificate"
                  : "the disk server refused");
    }
    if (size < 0) {
      throw new IOException("the disk server announces a negative size");
    }
  }

  private void choose(byte[] name, List<String> wanted) throws IOException {
    List<byte[]> queries = wanted.stream().map(w -> w.getBytes(StandardCharsets.UTF_8)).toList();
    int length = queries.stream().mapToInt(q -> 4 + q.length).sum();
    ByteBuffer data = ByteBuffer.allocate(8 + name.length + length);
    data.putInt(name.length).put(name).putInt(queries.size());
    queries.forEach(q -> data.putInt(q.length).put(q));
    option(OPT_SET_META_CONTEXT, data.flip());
    OptionReply r = reply(OPT_SET_META_CONTEXT);
    for (; r.type == REP_META_CONTEXT; r = reply(OPT_SET_META_CONTEXT)) {
      if (r.data.remaining() < 4 || contexts.size() > wanted.size()) {
        throw new IOException("the disk server's metadata contexts are garbled");
      }
      int id = r.data.getInt();
      contexts.put(StandardCharsets.UTF_8.decode(r.data).toString(), id);
    }
  }

  private void option(int option, ByteBuffer data) throws IOException {
    ByteBuffer head = ByteBuffer.allocate(16);
    wire.write(head.putLong(OPTION_MAGIC).putInt(option).putInt(data.remaining()).flip(), data);
  }

  private record OptionReply(int type, ByteBuffer data) {}

  private OptionReply reply(int option) throws IOException {
    ByteBuffer head = wire.take(20);
    if (head.getLong() != OPTION_REPLY_MAGIC || head.getInt() != option) {
      throw new IOException("the disk server's answer to option " + option + " is garbled");
    }
    int type = head.getInt();
    int length = head.getInt();
    if (length < 0 || length > MAX_OPTION) {
      throw new IOException(
          "the disk server announced an option of " + (length & 0xffffffffL) + " bytes");
    }
    return new OptionReply(type, wire.take(length));
  }
}
