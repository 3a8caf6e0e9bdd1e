package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.Socket;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.SocketChannel;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;

/**
 * A remote export as a {@link BlockDevice}: one connection, one request at a time. For parallel
 * transfer open several. A connection that breaks stays broken; the caller opens a new one.
 */
public final class NbdClient implements BlockDevice {

  private static final int CONNECT_TIMEOUT_MS = 5_000;

  /** Silence from a disk server after which a TLS connection is given up. */
  private static final int READ_TIMEOUT_MS = 30_000;

  /** Bytes that one request for extents asks about, in whole units of 64 KiB. */
  private static final long MOST_ASKED = (1L << 31) - 65_536;

  private final String export;
  private final String changedContext;
  private Wire wire;
  private long size;
  private int flags;
  private boolean structured;
  private int allocationId = -1;
  private int changedId = -1;
  private long cookie;
  private volatile boolean closed;

  private NbdClient(NbdAddress address) {
    this.export = address.export();
    this.changedContext =
        address instanceof NbdAddress.Unix u && !u.changed().isEmpty() ? u.changed() : CHANGED;
  }

  /** Connects, negotiates and opens the export. */
  public static NbdClient connect(NbdAddress address) throws IOException {
    NbdClient client = new NbdClient(address);
    try {
      if (address instanceof NbdAddress.Unix unix) {
        SocketChannel channel = SocketChannel.open(StandardProtocolFamily.UNIX);
        client.wire = Wire.of(channel);
        channel.connect(UnixDomainSocketAddress.of(unix.socket()));
        client.greet();
      } else if (address instanceof NbdAddress.Tls tls) {
        Socket socket = new Socket();
        socket.connect(new InetSocketAddress(tls.host(), tls.port()), CONNECT_TIMEOUT_MS);
        socket.setTcpNoDelay(true);
        socket.setSoTimeout(READ_TIMEOUT_MS);
        client.wire = Wire.of(socket);
        client.greet();
        client.option(OPT_STARTTLS, ByteBuffer.allocate(0));
        client.expectAck(OPT_STARTTLS);
        client.wire = Wire.of(Tls.client(socket, tls.fingerprint()));
      }
      client.negotiate();
      return client;
    } catch (IOException e) {
      client.close();
      throw new IOException("cannot open " + address.uri() + ": " + e.getMessage(), e);
    }
  }

  private void greet() throws IOException {
    ByteBuffer hello = wire.take(18);
    if (hello.getLong() != MAGIC || hello.getLong() != OPTION_MAGIC) {
      throw new IOException("the peer does not speak the newstyle NBD handshake");
    }
    if ((hello.getShort() & FIXED_NEWSTYLE) == 0) {
      throw new IOException("the disk server does not speak fixed newstyle");
    }
    wire.write(ByteBuffer.allocate(4).putInt(FIXED_NEWSTYLE | NO_ZEROES).flip());
  }

  private void negotiate() throws IOException {
    option(OPT_STRUCTURED_REPLY, ByteBuffer.allocate(0));
    structured = reply(OPT_STRUCTURED_REPLY).type == REP_ACK;
    byte[] name = export.getBytes(StandardCharsets.UTF_8);
    if (structured) {
      byte[] allocation = ALLOCATION.getBytes(StandardCharsets.UTF_8);
      byte[] changed = changedContext.getBytes(StandardCharsets.UTF_8);
      ByteBuffer query = ByteBuffer.allocate(16 + name.length + allocation.length + changed.length);
      query.putInt(name.length).put(name).putInt(2);
      query.putInt(allocation.length).put(allocation).putInt(changed.length).put(changed).flip();
      option(OPT_SET_META_CONTEXT, query);
      for (OptionReply r = reply(OPT_SET_META_CONTEXT);
          r.type == REP_META_CONTEXT;
          r = reply(OPT_SET_META_CONTEXT)) {
        int id = r.data.getInt();
        String context = StandardCharsets.UTF_8.decode(r.data).toString();
        if (context.equals(ALLOCATION)) {
          allocationId = id;
        } else if (context.equals(changedContext)) {
          changedId = id;
        }
      }
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
      if (r.data.getShort() == INFO_EXPORT) {
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
              : "the disk server refused");
    }
  }

  private void option(int option, ByteBuffer data) throws IOException {
    ByteBuffer head = ByteBuffer.allocate(16 + data.remaining());
    wire.write(head.putLong(OPTION_MAGIC).putInt(option).putInt(data.remaining()).put(data).flip());
  }

  private record OptionReply(int type, ByteBuffer data) {}

  private OptionReply reply(int option) throws IOException {
    ByteBuffer head = wire.take(20);
    if (head.getLong() != OPTION_REPLY_MAGIC || head.getInt() != option) {
      throw new IOException("the disk server's answer to option " + option + " is garbled");
    }
    int type = head.getInt();
    return new OptionReply(type, wire.take(payload(head.getInt())));
  }

  private void expectAck(int option) throws IOException {
    if (reply(option).type != REP_ACK) {
      throw new IOException("the disk server refused TLS");
    }
  }

  private static int payload(int length) throws IOException {
    if (length < 0 || length > MAX_PAYLOAD) {
      throw new IOException(
          "the disk server announced a payload of " + (length & 0xffffffffL) + " bytes");
    }
    return length;
  }

  @Override
  public long size() {
    return size;
  }

  @Override
  public boolean readOnly() {
    return (flags & READ_ONLY) != 0;
  }

  @Override
  public boolean knows(Context context) {
    return (context == Context.ALLOCATION ? allocationId : changedId) >= 0;
  }

  @Override
  public synchronized void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size, offset, into.remaining());
    while (into.hasRemaining()) {
      int n = Math.min(into.remaining(), MAX_PAYLOAD / 2);
      ByteBuffer part = into.slice(into.position(), n);
      request(CMD_READ, offset, n, null);
      answer("read", offset, part);
      into.position(into.position() + n);
      offset += n;
    }
  }

  @Override
  public synchronized void write(long offset, ByteBuffer from) throws IOException {
    BlockDevice.checkRange(size, offset, from.remaining());
    if (readOnly()) {
      throw new ReadOnlyException("export " + export);
    }
    while (from.hasRemaining()) {
      int n = Math.min(from.remaining(), MAX_PAYLOAD / 2);
      request(CMD_WRITE, offset, n, from.slice(from.position(), n));
      answer("write", offset, null);
      from.position(from.position() + n);
      offset += n;
    }
  }

  @Override
  public synchronized void writeZeroes(long offset, long length) throws IOException {
    BlockDevice.checkRange(size, offset, length);
    if (readOnly()) {
      throw new ReadOnlyException("export " + export);
    }
    for (long at = offset; at < offset + length; ) {
      int n = (int) Math.min(offset + length - at, 1 << 30);
      request(CMD_WRITE_ZEROES, at, n, null);
      answer("write zeroes", at, null);
      at += n;
    }
  }

  /** As the protocol has it (doc/proto.md, NBD_FLAG_CAN_MULTI_CONN). */
  @Override
  public boolean flushesForAll() {
    return (flags & CAN_MULTI_CONN) != 0;
  }

  @Override
  public synchronized void flush() throws IOException {
    if ((flags & SEND_FLUSH) == 0) {
      throw new NbdException(
          "flush", export, EINVAL, "this disk server can't say what is on stable storage");
    }
    request(CMD_FLUSH, 0, 0, null);
    answer("flush", 0, null);
  }

  @Override
  public synchronized List<Extent> status(Context context, long offset, long length)
      throws IOException {
    BlockDevice.checkRange(size, offset, length);
    int id = context == Context.ALLOCATION ? allocationId : changedId;
    if (id < 0) {
      throw new UnsupportedContextException(context);
    }
    List<Extent> extents = new ArrayList<>();
    for (long at = offset; at < offset + length; ) {
      request(CMD_BLOCK_STATUS, at, (int) Math.min(offset + length - at, MOST_ASKED), null);
      long before = at;
      List<long[]> found = statusAnswer(id);
      for (long[] e : found) {
        long n = Math.min(e[0], offset + length - at);
        // base:allocation: bit 1 says the range reads as zero; our context: bit 0 says it changed.
        boolean set = context == Context.ALLOCATION ? (e[1] & 2) == 0 : (e[1] & 1) != 0;
        if (n > 0) {
          extents.add(new Extent(at, n, set));
          at += n;
        }
      }
      if (at == before) {
        throw new IOException(
            "the disk server answered no extent of export " + export + " at " + at);
      }
    }
    return extents;
  }

  private void request(int type, long offset, int length, ByteBuffer payload) throws IOException {
    if (closed) {
      throw new IOException("export " + export + " is closed");
    }
    ByteBuffer head = ByteBuffer.allocate(28 + (payload == null ? 0 : payload.remaining()));
    head.putInt(REQUEST_MAGIC)
        .putShort((short) 0)
        .putShort((short) type)
        .putLong(++cookie)
        .putLong(offset)
        .putInt(length);
    if (payload != null) {
      head.put(payload);
    }
    wire.write(head.flip());
  }

  private record Chunk(boolean last, int type, int length) {}

  /**
   * Next chunk's head; a simple reply counts as a last chunk of type none, its data still on the
   * wire.
   */
  private Chunk chunk(String operation) throws IOException {
    int magic = wire.take(4).getInt();
    if (magic == SIMPLE_REPLY_MAGIC) {
      ByteBuffer head = wire.take(12);
      int error = head.getInt();
      checkCookie(head.getLong());
      if (error != 0) {
        fail(operation, error, "the disk server failed");
      }
      return new Chunk(true, -1, 0);
    }
    if (magic != STRUCTURED_REPLY_MAGIC) {
      throw new IOException("garbled reply from the disk server of export " + export);
    }
    ByteBuffer head = wire.take(16);
    int flagBits = head.getShort();
    int type = head.getShort() & 0xffff;
    checkCookie(head.getLong());
    return new Chunk((flagBits & REPLY_DONE) != 0, type, payload(head.getInt()));
  }

  private void checkCookie(long got) throws IOException {
    if (got != cookie) {
      throw new IOException("reply to another request from the disk server of export " + export);
    }
  }

  private void answer(String operation, long offset, ByteBuffer into) throws IOException {
    boolean failed = false;
    int error = 0;
    String message = "";
    while (true) {
      Chunk chunk = chunk(operation);
      switch (chunk.type) {
        case -1 -> {
          if (into != null) {
            wire.read(into);
          }
        }
        case REPLY_NONE -> {}
        case REPLY_OFFSET_DATA -> {
          int at = Math.toIntExact(wire.take(8).getLong() - offset);
          wire.read(into.slice(at, chunk.length - 8));
        }
        case REPLY_OFFSET_HOLE -> {
          ByteBuffer hole = wire.take(12);
          int at = Math.toIntExact(hole.getLong() - offset);
          int n = hole.getInt();
          into.slice(at, n).put(new byte[n]);
        }
        default -> {
          ByteBuffer data = wire.take(chunk.length);
          if (chunk.type >= REPLY_ERROR) {
            failed = true;
            error = data.getInt();
            byte[] text = new byte[Math.min(data.getShort() & 0xffff, data.remaining())];
            data.get(text);
            message = new String(text, StandardCharsets.UTF_8);
          }
        }
      }
      if (chunk.last) {
        if (failed) {
          fail(operation, error, message);
        }
        return;
      }
    }
  }

  private List<long[]> statusAnswer(int id) throws IOException {
    List<long[]> extents = new ArrayList<>();
    while (true) {
      Chunk chunk = chunk("block status");
      ByteBuffer data = wire.take(chunk.length);
      if (chunk.type >= REPLY_ERROR) {
        int error = data.getInt();
        fail("block status", error, "the disk server failed");
      } else if (chunk.type == REPLY_BLOCK_STATUS && data.getInt() == id) {
        while (data.remaining() >= 8) {
          extents.add(new long[] {data.getInt() & 0xffffffffL, data.getInt()});
        }
      }
      if (chunk.last) {
        return extents;
      }
    }
  }

  private void fail(String operation, int error, String message) throws IOException {
    if (error == ENOSPC) {
      throw new NoSpaceException("no space left behind export " + export + ": " + message);
    }
    throw new NbdException(operation, export, error, message);
  }

  @Override
  public void close() throws IOException {
    if (!closed) {
      closed = true;
      if (wire != null) {
        wire.close();
      }
    }
  }
}
