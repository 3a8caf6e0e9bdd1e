package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.nbd.NbdCalls.Call;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A remote export as a {@link BlockDevice} over one connection. Each thread that calls it has a
 * request in flight; answers are told apart by their cookies and may come in any order. A
 * connection that breaks, or whose peer says what can't be, stays broken; the caller opens a new
 * one.
 */
public final class NbdClient implements BlockDevice {

  private static final Duration TO_CONNECT = Duration.ofSeconds(5);
  private static final Duration TO_NEGOTIATE = Duration.ofSeconds(10);

  /** A flush may take long: the disk server has to write what it holds. */
  private static final Duration TO_ANSWER = Duration.ofSeconds(60);

  /** Bytes that one request for extents asks about, in whole units of 64 KiB. */
  private static final long MOST_ASKED = (1L << 31) - 65_536;

  private final String export;
  private final NbdCalls calls;
  private final long size;
  private final int flags;
  private final int allocationId;
  private final int changedId;
  private final Optional<BlockDigest> digest;
  private final int[] digestIds = new int[BlockDigest.WIDTH / 4];

  private NbdClient(NbdAddress address, Wire wire, Optional<BlockDigest> digest)
      throws IOException {
    this.export = address.export();
    NbdNegotiation peer = new NbdNegotiation(wire, export);
    peer.greet();
    if (address instanceof NbdAddress.Tls tls) {
      peer.secure(tls);
    }
    String changed =
        address instanceof NbdAddress.Unix u && !u.changed().isEmpty() ? u.changed() : CHANGED;
    List<String> contexts = new ArrayList<>();
    for (int i = 0; digest.isPresent() && i < digestIds.length; i++) {
      contexts.add(digestContext(digest.get().key(), i));
    }
    peer.open(digest.isPresent() ? contexts : List.of(ALLOCATION, changed));
    this.size = peer.size();
    this.flags = peer.flags();
    this.calls = new NbdCalls(wire, export, peer.structured());
    this.allocationId = peer.context(ALLOCATION);
    this.changedId = peer.context(changed);
    boolean all = digest.isPresent();
    for (int i = 0; all && i < digestIds.length; i++) {
      digestIds[i] = peer.context(digestContext(digest.get().key(), i));
      all = digestIds[i] >= 0;
    }
    this.digest = all ? digest : Optional.empty();
    wire.patience(TO_ANSWER);
  }

  /** Connects, negotiates and opens the export. */
  public static NbdClient connect(NbdAddress address) throws IOException {
    return connect(address, Optional.empty());
  }

  /**
   * Connects, negotiates and opens the export.
   *
   * @param digest which digests of blocks the disk server shall tell, if it can; it is then asked
   *     for no extents, since it would tell digests with each
   */
  public static NbdClient connect(NbdAddress address, Optional<BlockDigest> digest)
      throws IOException {
    Wire wire = null;
    try {
      wire =
          address instanceof NbdAddress.Unix unix
              ? Wire.unix(unix.socket(), TO_CONNECT)
              : Wire.tcp(peer((NbdAddress.Tls) address), TO_CONNECT);
      return new NbdClient(address, wire.patience(TO_NEGOTIATE), digest);
    } catch (IOException e) {
      if (wire != null) {
        wire.close();
      }
      throw new IOException("cannot open " + address.uri() + ": " + e.getMessage(), e);
    }
  }

  private static InetSocketAddress peer(NbdAddress.Tls address) {
    return new InetSocketAddress(address.host(), address.port());
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
  public void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size, offset, into.remaining());
    while (into.hasRemaining()) {
      int n = Math.min(into.remaining(), MAX_PAYLOAD / 2);
      ByteBuffer part = into.slice(into.position(), n);
      calls.perform(new Call("read", offset, n, part), CMD_READ, null);
      into.position(into.position() + n);
      offset += n;
    }
  }

  @Override
  public void write(long offset, ByteBuffer from) throws IOException {
    BlockDevice.checkRange(size, offset, from.remaining());
    checkWritable();
    while (from.hasRemaining()) {
      int n = Math.min(from.remaining(), MAX_PAYLOAD / 2);
      calls.perform(new Call("write", offset, n, null), CMD_WRITE, from.slice(from.position(), n));
      from.position(from.position() + n);
      offset += n;
    }
  }

  @Override
  public void writeZeroes(long offset, long length) throws IOException {
    BlockDevice.checkRange(size, offset, length);
    checkWritable();
    if ((flags & SEND_WRITE_ZEROES) == 0) {
      sendZeroes(offset, length);
      return;
    }
    for (long at = offset; at < offset + length; ) {
      int n = (int) Math.min(offset + length - at, 1 << 30);
      calls.perform(new Call("write zeroes", at, n, null), CMD_WRITE_ZEROES, null);
      at += n;
    }
  }

  /** For a server that can't make them itself. */
  private void sendZeroes(long offset, long length) throws IOException {
    ByteBuffer zeroes = ByteBuffer.allocate((int) Math.min(length, 1 << 20));
    for (long at = offset; at < offset + length; at += zeroes.capacity()) {
      write(at, zeroes.clear().limit((int) Math.min(zeroes.capacity(), offset + length - at)));
    }
  }

  private void checkWritable() throws ReadOnlyException {
    if (readOnly()) {
      throw new ReadOnlyException("export " + export);
    }
  }

  /** As the protocol has it (doc/proto.md, NBD_FLAG_CAN_MULTI_CONN). */
  @Override
  public boolean flushesForAll() {
    return (flags & CAN_MULTI_CONN) != 0;
  }

  @Override
  public void flush() throws IOException {
    if ((flags & SEND_FLUSH) == 0) {
      throw new NbdException(
          "flush", export, EINVAL, "this disk server can't say what is on stable storage");
    }
    calls.perform(new Call("flush", 0, 0, null), CMD_FLUSH, null);
  }

  @Override
  public List<Extent> status(Context context, long offset, long length) throws IOException {
    BlockDevice.checkRange(size, offset, length);
    int id = context == Context.ALLOCATION ? allocationId : changedId;
    if (id < 0) {
      throw new UnsupportedContextException(context);
    }
    List<Extent> extents = new ArrayList<>();
    for (long at = offset; at < offset + length; ) {
      long before = at;
      for (long[] e : statuses(at, Math.min(offset + length - at, MOST_ASKED)).of(id)) {
        long n = Math.min(e[0], offset + length - at);
        // base:allocation: bit 1 says the range reads as zero; our context: bit 0 says it changed.
        boolean set = context == Context.ALLOCATION ? (e[1] & 2) == 0 : (e[1] & 1) != 0;
        if (n > 0) {
          extents.add(new Extent(at, n, set));
          at += n;
        }
      }
      checkAnswered(before, at);
    }
    return extents;
  }

  @Override
  public boolean tellsDigests() {
    return digest.isPresent();
  }

  @Override
  public byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
    BlockDevice.checkRange(size, offset, length);
    if (digest.isEmpty() || digest.get().key() != by.key() || offset % BlockDigest.BLOCK != 0) {
      throw new IllegalArgumentException("these digests were not agreed on with the disk server");
    }
    byte[][] digests = new byte[BlockDigest.blocks(length)][BlockDigest.WIDTH];
    for (long at = offset; at < offset + length; ) {
      Call answer = statuses(at, Math.min(offset + length - at, MOST_ASKED));
      long covered = Long.MAX_VALUE;
      for (int i = 0; i < digestIds.length; i++) {
        long end = at;
        for (long[] e : answer.of(digestIds[i])) {
          long until = Math.min(offset + length, end + e[0]);
          if (until < offset + length && until % BlockDigest.BLOCK != 0) {
            throw new IOException("the disk server told a part of a digest of export " + export);
          }
          int first = (int) ((end - offset) / BlockDigest.BLOCK);
          for (int b = first; b < BlockDigest.blocks(until - offset); b++) {
            ByteBuffer.wrap(digests[b]).putInt(4 * i, (int) e[1]);
          }
          end = until;
        }
        covered = Math.min(covered, end);
      }
      checkAnswered(at, covered);
      at = covered;
    }
    return digests;
  }

  private void checkAnswered(long from, long to) throws IOException {
    if (to <= from) {
      throw new IOException(
          "the disk server answered no extent of export " + export + " at " + from);
    }
  }

  private Call statuses(long offset, long length) throws IOException {
    Call call = new Call("block status", offset, (int) length, null);
    calls.perform(call, CMD_BLOCK_STATUS, null);
    return call;
  }

  @Override
  public void close() throws IOException {
    calls.close();
  }
}
