package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDigest;
import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLEngine;

/** The server's side of one connection: handshake, then requests until the client leaves. */
final class NbdSession implements Closeable {

  private static final int ALLOCATION_ID = 1;
  private static final int CHANGED_ID = 2;
  private static final int DIGEST_ID = 3;
  private static final Pattern DIGEST_CONTEXT = Pattern.compile(DIGEST + "([0-9a-f]{16}):([0-3])");

  /** Bytes that an answer is made in without being allocated anew. */
  private static final int KEPT = 2 * 1024 * 1024;

  /** Bytes whose digests one answer tells: what is read for it at most. */
  private static final int DIGESTED = 32 * 1024 * 1024;

  private final Wire wire;
  private final Optional<SSLContext> tls;
  private final Function<String, Export> exports;
  private boolean secured;
  private boolean structured;
  private boolean wantAllocation;
  private boolean wantChanged;
  private Optional<BlockDigest> wantDigests = Optional.empty();
  private Export export;

  /** Whether the request in hand wants one extent a context, and no more. */
  private boolean one;

  /** The fingerprint of the certificate that the client has shown; empty for none. */
  private String shown = "";

  private ByteBuffer room = ByteBuffer.allocate(0);

  NbdSession(Wire wire, Optional<SSLContext> tls, Function<String, Export> exports) {
    this.wire = wire;
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
            SSLEngine engine = Tls.server(tls.orElseThrow());
            wire.secure(engine);
            shown = Tls.shown(engine);
            secured = true;
          }
        }
        case OPT_STRUCTURED_REPLY -> {
          structured = true;
          reply(option, REP_ACK, ByteBuffer.allocate(0));
        }
        case OPT_LIST_META_CONTEXT, OPT_SET_META_CONTEXT -> contexts(option, data);
        case OPT_EXPORT_NAME -> {
          export = exports.apply(StandardCharsets.UTF_8.decode(data).toString());
          if (export == null || !export.isFor(shown)) {
            export = null;
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
          if (!asked.isFor(shown)) {
            reply(option, REP_ERR_POLICY, ByteBuffer.allocate(0));
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

  /** Chooses metadata contexts for this connection, or only lists them. */
  private void contexts(int option, ByteBuffer data) throws IOException {
    Export asked = exports.apply(text(data));
    if (asked == null || !asked.isFor(shown)) {
      reply(option, asked == null ? REP_ERR_UNKNOWN : REP_ERR_POLICY, ByteBuffer.allocate(0));
      return;
    }
    boolean list = option == OPT_LIST_META_CONTEXT;
    boolean allocation = asked.device().knows(Context.ALLOCATION);
    boolean changed = asked.device().knows(Context.CHANGED);
    int queries = data.remaining() < 4 ? 0 : data.getInt();
    List<String> wanted = new ArrayList<>();
    for (int i = 0; i < queries; i++) {
      wanted.add(text(data));
    }
    if (list && wanted.isEmpty()) {
      wanted = List.of("base:", CHANGED);
    }
    for (String query : wanted) {
      if ((query.equals(ALLOCATION) || list && query.equals("base:")) && allocation) {
        wantAllocation |= !list;
        context(option, list ? 0 : ALLOCATION_ID, ALLOCATION);
      } else if (query.equals(CHANGED) && changed) {
        wantChanged |= !list;
        context(option, list ? 0 : CHANGED_ID, CHANGED);
      } else if (!list && query.startsWith(DIGEST) && asked.device().tellsDigests()) {
        digestContext(query);
      }
    }
    reply(option, REP_ACK, ByteBuffer.allocate(0));
  }

  private void digestContext(String query) throws IOException {
    Matcher parts = DIGEST_CONTEXT.matcher(query);
    if (parts.matches()) {
      BlockDigest by = new BlockDigest(Long.parseUnsignedLong(parts.group(1), 16));
      if (wantDigests.isEmpty() || wantDigests.get().key() == by.key()) {
        wantDigests = Optional.of(by);
        context(OPT_SET_META_CONTEXT, DIGEST_ID + Integer.parseInt(parts.group(2)), query);
      }
    }
  }

  private void context(int option, int id, String name) throws IOException {
    byte[] bytes = name.getBytes(StandardCharsets.UTF_8);
    reply(
        option,
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
    one = (head.getShort() & REQ_ONE) != 0;
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
    ByteBuffer payload = moves ? room(length) : null;
    if (type == CMD_WRITE) {
      wire.read(payload);
      payload.flip();
    }
    try {
      ByteBuffer[] answer = new ByteBuffer[1];
      export.run(
          device ->
              answer[0] = perform(device, type, cookie, offset, length & 0xffffffffL, payload));
      if (type == CMD_READ) {
        wire.write(answer[0], payload);
      } else {
        wire.write(answer[0]);
      }
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

  /** Room for what one request moves, not more than once at a time. */
  private ByteBuffer room(int n) {
    if (n > KEPT) {
      return ByteBuffer.allocate(n);
    }
    if (room.capacity() < n) {
      room = ByteBuffer.allocateDirect(n);
    }
    return room.clear().limit(n);
  }

  /** Gives the answer, but for the bytes that a read has put into {@code payload}. */
  private ByteBuffer perform(
      BlockDevice device, int type, long cookie, long offset, long length, ByteBuffer payload)
      throws IOException {
    switch (type) {
      case CMD_READ -> {
        device.read(offset, payload);
        payload.flip();
        return structured
            ? chunk(cookie, REPLY_OFFSET_DATA, 8, payload.remaining()).putLong(offset).flip()
            : simple(cookie, 0).flip();
      }
      case CMD_WRITE -> device.write(offset, payload);
      case CMD_WRITE_ZEROES -> device.writeZeroes(offset, length);
      case CMD_FLUSH -> device.flush();
      case CMD_BLOCK_STATUS -> {
        return status(device, cookie, offset, length);
      }
      default -> throw new IllegalArgumentException("command " + type + " is not known");
    }
    return structured ? chunk(cookie, REPLY_NONE, 0, 0).flip() : simple(cookie, 0).flip();
  }

  private ByteBuffer status(BlockDevice device, long cookie, long offset, long length)
      throws IOException {
    List<ByteBuffer> chunks = new ArrayList<>();
    if (wantDigests.isPresent()) {
      digests(device, cookie, offset, length, chunks);
    }
    if (wantAllocation) {
      // base:allocation (doc/proto.md): bit 0 hole, bit 1 reads as zero.
      chunks.add(
          extents(cookie, ALLOCATION_ID, device.status(Context.ALLOCATION, offset, length), 0, 3));
    }
    if (wantChanged) {
      chunks.add(extents(cookie, CHANGED_ID, device.status(Context.CHANGED, offset, length), 1, 0));
    }
    if (!structured || chunks.isEmpty()) {
      throw new IllegalArgumentException("block status was not negotiated");
    }
    chunks.get(chunks.size() - 1).putShort(4, (short) REPLY_DONE);
    ByteBuffer all = ByteBuffer.allocate(chunks.stream().mapToInt(ByteBuffer::remaining).sum());
    chunks.forEach(all::put);
    return all.flip();
  }

  private ByteBuffer extents(
      long cookie, int id, List<BlockDevice.Extent> all, int set, int clear) {
    List<BlockDevice.Extent> extents = one ? all.subList(0, Math.min(1, all.size())) : all;
    ByteBuffer chunk = chunk(cookie, REPLY_BLOCK_STATUS, 4 + 8 * extents.size(), 0);
    chunk.putShort(4, (short) 0).putInt(id);
    for (BlockDevice.Extent e : extents) {
      chunk.putInt((int) e.length()).putInt(e.set() ? set : clear);
    }
    return chunk.flip();
  }

  private void digests(
      BlockDevice device, long cookie, long offset, long length, List<ByteBuffer> chunks)
      throws IOException {
    BlockDevice.checkRange(device.size(), offset, length);
    if (offset % BlockDigest.BLOCK != 0) {
      throw new IllegalArgumentException("digests are told of whole blocks");
    }
    long told = Math.min(length, one ? BlockDigest.BLOCK : DIGESTED);
    byte[][] digests = device.digests(wantDigests.orElseThrow(), offset, told);
    for (int i = 0; i < BlockDigest.WIDTH / 4; i++) {
      ByteBuffer chunk = chunk(cookie, REPLY_BLOCK_STATUS, 4 + 8 * digests.length, 0);
      chunk.putShort(4, (short) 0).putInt(DIGEST_ID + i);
      for (int b = 0; b < digests.length; b++) {
        chunk.putInt((int) Math.min(BlockDigest.BLOCK, told - (long) b * BlockDigest.BLOCK));
        chunk.putInt(ByteBuffer.wrap(digests[b]).getInt(4 * i));
      }
      chunks.add(chunk.flip());
    }
  }

  private void error(long cookie, int error, String message) throws IOException {
    if (!structured) {
      wire.write(simple(cookie, error).flip());
      return;
    }
    byte[] text = message.getBytes(StandardCharsets.UTF_8);
    wire.write(
        chunk(cookie, REPLY_ERROR, 6 + text.length, 0)
            .putInt(error)
            .putShort((short) text.length)
            .put(text)
            .flip());
  }

  private static ByteBuffer simple(long cookie, int error) {
    return ByteBuffer.allocate(16).putInt(SIMPLE_REPLY_MAGIC).putInt(error).putLong(cookie);
  }

  /** The head of a last chunk with {@code room} bytes behind it, and {@code more} that follow. */
  private static ByteBuffer chunk(long cookie, int type, int room, int more) {
    return ByteBuffer.allocate(20 + room)
        .putInt(STRUCTURED_REPLY_MAGIC)
        .putShort((short) REPLY_DONE)
        .putShort((short) type)
        .putLong(cookie)
        .putInt(room + more);
  }

  @Override
  public void close() throws IOException {
    wire.close();
  }
}
