package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import java.io.Closeable;
import java.io.IOException;
import java.net.Socket;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import javax.net.ssl.SSLContext;

/** The server's side of one connection: handshake, then requests until the client leaves. */
final class NbdSession implements Closeable {

  private static final int ALLOCATION_ID = 1;
  private static final int CHANGED_ID = 2;
  private static final int MAX_OPTION = 64 * 1024;

  private Wire wire;
  private final Socket plain;
  private final Optional<SSLContext> tls;
  private final Function<String, Export> exports;
  private boolean secured;
  private boolean structured;
  private boolean wantAllocation;
  private boolean wantChanged;
  private Export export;

  NbdSession(Wire wire, Socket plain, Optional<SSLContext> tls, Function<String, Export> exports) {
    this.wire = wire;
    this.plain = plain;
    this.tls = tls;
    this.exports = exports;
    this.secured = tls.isEmpty();
  }

  void run() throws IOException {
    wire.write(
        ByteBuffer.allocate(18)
            .putLong(MAGIC)
            .putLong(OPTION_MAGIC)
            .putShort((short) (FIXED_NEWSTYLE | NO_ZEROES))
            .flip());
    int clientFlags = wire.take(4).getInt();
    if ((clientFlags & FIXED_NEWSTYLE) == 0) {
      throw new IOException("the client does not speak fixed newstyle");
    }
    if (!haggle((clientFlags & NO_ZEROES) != 0)) {
      return;
    }
    export.join(this);
    try {
      while (request()) {
        // each request is complete before the next is read
      }
    } finally {
      export.leave(this);
    }
  }

  /** Options until an export is open; false if the client left. */
  private boolean haggle(boolean noZeroes) throws IOException {
    while (true) {
      ByteBuffer head = wire.take(16);
      if (head.getLong() != OPTION_MAGIC) {
        throw new IOException("garbled option");
      }
      int option = head.getInt();
      int length = head.getInt();
      if (length < 0 || length > MAX_OPTION) {
        throw new IOException("option " + option + " with " + length + " bytes");
      }
      ByteBuffer data = wire.take(length);
      if (!secured && option != OPT_STARTTLS && option != OPT_ABORT) {
        reply(option, REP_ERR_TLS_REQD, ByteBuffer.allocate(0));
        continue;
      }
      switch (option) {
        case OPT_ABORT -> {
          reply(option, REP_ACK, ByteBuffer.allocate(0));
          return false;
        }
        case OPT_STARTTLS -> {
          if (secured) {
            reply(option, REP_ERR_INVALID, ByteBuffer.allocate(0));
          } else {
            reply(option, REP_ACK, ByteBuffer.allocate(0));
            wire = Wire.of(Tls.server(plain, tls.orElseThrow()));
            secured = true;
          }
        }
        case OPT_STRUCTURED_REPLY -> {
          structured = true;
          reply(option, REP_ACK, ByteBuffer.allocate(0));
        }
        case OPT_SET_META_CONTEXT -> contexts(data);
        case OPT_EXPORT_NAME -> {
          export = exports.apply(StandardCharsets.UTF_8.decode(data).toString());
          if (export == null) {
            return false;
          }
          ByteBuffer answer = ByteBuffer.allocate(10 + (noZeroes ? 0 : 124));
          answer
              .putLong(export.device().size())
              .putShort((short) flags())
              .position(answer.capacity());
          wire.write(answer.flip());
          return true;
        }
        case OPT_INFO, OPT_GO -> {
          Export asked = exports.apply(text(data));
          if (asked == null) {
            reply(option, REP_ERR_UNKNOWN, ByteBuffer.allocate(0));
            continue;
          }
          export = asked;
          reply(
              option,
              REP_INFO,
              ByteBuffer.allocate(12)
                  .putShort((short) INFO_EXPORT)
                  .putLong(asked.device().size())
                  .putShort((short) flags())
                  .flip());
          reply(option, REP_ACK, ByteBuffer.allocate(0));
          if (option == OPT_GO) {
            return true;
          }
        }
        default -> reply(option, REP_ERR_UNSUP, ByteBuffer.allocate(0));
      }
    }
  }

  private void contexts(ByteBuffer data) throws IOException {
    Export asked = exports.apply(text(data));
    if (asked == null) {
      reply(OPT_SET_META_CONTEXT, REP_ERR_UNKNOWN, ByteBuffer.allocate(0));
      return;
    }
    int queries = data.remaining() < 4 ? 0 : data.getInt();
    for (int i = 0; i < queries; i++) {
      String query = text(data);
      if (query.equals(ALLOCATION) && asked.device().knows(Context.ALLOCATION)) {
        wantAllocation = true;
        context(ALLOCATION_ID, ALLOCATION);
      } else if (query.equals(CHANGED) && asked.device().knows(Context.CHANGED)) {
        wantChanged = true;
        context(CHANGED_ID, CHANGED);
      }
    }
    reply(OPT_SET_META_CONTEXT, REP_ACK, ByteBuffer.allocate(0));
  }

  private void context(int id, String name) throws IOException {
    byte[] bytes = name.getBytes(StandardCharsets.UTF_8);
    reply(
        OPT_SET_META_CONTEXT,
        REP_META_CONTEXT,
        ByteBuffer.allocate(4 + bytes.length).putInt(id).put(bytes).flip());
  }

  private static String text(ByteBuffer data) throws IOException {
    int length = data.remaining() < 4 ? -1 : data.getInt();
    if (length < 0 || length > data.remaining()) {
      throw new IOException("garbled option data");
    }
    byte[] bytes = new byte[length];
    data.get(bytes);
    return new String(bytes, StandardCharsets.UTF_8);
  }

  private int flags() {
    return HAS_FLAGS
        | SEND_FLUSH
        | SEND_WRITE_ZEROES
        | CAN_MULTI_CONN
        | (export.device().readOnly() ? READ_ONLY : 0);
  }

  private void reply(int option, int type, ByteBuffer data) throws IOException {
    ByteBuffer all = ByteBuffer.allocate(20 + data.remaining());
    wire.write(
        all.putLong(OPTION_REPLY_MAGIC)
            .putInt(option)
            .putInt(type)
            .putInt(data.remaining())
            .put(data)
            .flip());
  }

  /** Serves one request; false when the client says goodbye. */
  private boolean request() throws IOException {
    ByteBuffer head = wire.take(28);
    if (head.getInt() != REQUEST_MAGIC) {
      throw new IOException("garbled request");
    }
    head.getShort();
    int type = head.getShort();
    long cookie = head.getLong();
    long offset = head.getLong();
    int length = head.getInt();
    if (type == CMD_DISC) {
      return false;
    }
    boolean moves = type == CMD_READ || type == CMD_WRITE;
    if (moves && (length < 0 || length > MAX_PAYLOAD)) {
      throw new IOException("a request for " + (length & 0xffffffffL) + " bytes");
    }
    ByteBuffer payload = type == CMD_WRITE ? wire.take(length) : null;
    try {
      ByteBuffer[] answer = new ByteBuffer[1];
      export.run(
          device ->
              answer[0] = perform(device, type, cookie, offset, length & 0xffffffffL, payload));
      wire.write(answer[0]);
    } catch (BlockDevice.NoSpaceException e) {
      error(cookie, ENOSPC, e.getMessage());
    } catch (BlockDevice.ReadOnlyException e) {
      error(cookie, EPERM, e.getMessage());
    } catch (IllegalArgumentException e) {
      error(cookie, EINVAL, e.getMessage());
    } catch (NbdException e) {
      error(cookie, e.error(), e.getMessage());
    } catch (IOException e) {
      error(cookie, EIO, String.valueOf(e.getMessage()));
    }
    return true;
  }

  private ByteBuffer perform(
      BlockDevice device, int type, long cookie, long offset, long length, ByteBuffer payload)
      throws IOException {
    switch (type) {
      case CMD_READ -> {
        int n = (int) length;
        ByteBuffer answer =
            structured
                ? chunk(cookie, REPLY_OFFSET_DATA, 8 + n).putLong(offset)
                : simple(cookie, 0, n);
        int head = answer.position();
        answer.limit(head + n);
        device.read(offset, answer);
        return answer.flip();
      }
      case CMD_WRITE -> device.write(offset, payload);
      case CMD_WRITE_ZEROES -> device.writeZeroes(offset, length);
      case CMD_FLUSH -> device.flush();
      case CMD_BLOCK_STATUS -> {
        return status(device, cookie, offset, length);
      }
      default -> throw new IllegalArgumentException("command " + type + " is not known");
    }
    return structured ? chunk(cookie, REPLY_NONE, 0).flip() : simple(cookie, 0, 0).flip();
  }

  private ByteBuffer status(BlockDevice device, long cookie, long offset, long length)
      throws IOException {
    ByteBuffer all = ByteBuffer.allocate(0);
    if (!structured || (!wantAllocation && !wantChanged)) {
      throw new IllegalArgumentException("block status was not negotiated");
    }
    if (wantAllocation) {
      // base:allocation (doc/proto.md): bit 0 hole, bit 1 reads as zero.
      all =
          extents(
              cookie,
              ALLOCATION_ID,
              device.status(Context.ALLOCATION, offset, length),
              0,
              3,
              !wantChanged);
    }
    if (wantChanged) {
      ByteBuffer changed =
          extents(cookie, CHANGED_ID, device.status(Context.CHANGED, offset, length), 1, 0, true);
      all = ByteBuffer.allocate(all.remaining() + changed.remaining()).put(all).put(changed).flip();
    }
    return all;
  }

  private static ByteBuffer extents(
      long cookie, int id, List<BlockDevice.Extent> extents, int set, int clear, boolean last) {
    ByteBuffer chunk = chunk(cookie, REPLY_BLOCK_STATUS, 4 + 8 * extents.size());
    if (!last) {
      chunk.putShort(4, (short) 0);
    }
    chunk.putInt(id);
    for (BlockDevice.Extent e : extents) {
      chunk.putInt((int) e.length()).putInt(e.set() ? set : clear);
    }
    return chunk.flip();
  }

  private void error(long cookie, int error, String message) throws IOException {
    if (!structured) {
      wire.write(simple(cookie, error, 0).flip());
      return;
    }
    byte[] text = message.getBytes(StandardCharsets.UTF_8);
    wire.write(
        chunk(cookie, REPLY_ERROR, 6 + text.length)
            .putInt(error)
            .putShort((short) text.length)
            .put(text)
            .flip());
  }

  private static ByteBuffer simple(long cookie, int error, int room) {
    return ByteBuffer.allocate(16 + room).putInt(SIMPLE_REPLY_MAGIC).putInt(error).putLong(cookie);
  }

  private static ByteBuffer chunk(long cookie, int type, int length) {
    return ByteBuffer.allocate(20 + length)
        .putInt(STRUCTURED_REPLY_MAGIC)
        .putShort((short) REPLY_DONE)
        .putShort((short) type)
        .putLong(cookie)
        .putInt(length);
  }

  @Override
  public void close() throws IOException {
    wire.close();
  }
}
