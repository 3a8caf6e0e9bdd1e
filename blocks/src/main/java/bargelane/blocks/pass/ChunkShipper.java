package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.Arrays;

/** Looks at one chunk, block by block, and ships the runs of blocks that must be shipped. */
final class ChunkShipper {

  private final BlockDevice source;
  private final BlockDevice target;
  private final DiskWork work;
  private final ByteBuffer buffer;
  private final ByteBuffer back;

  ChunkShipper(
      BlockDevice source, BlockDevice target, DiskWork work, ByteBuffer buffer, ByteBuffer back) {
    this.source = source;
    this.target = target;
    this.work = work;
    this.buffer = buffer;
    this.back = back;
  }

  void ship(DiskWork.Chunk chunk) throws IOException {
    if (chunk.zero()) {
      zero(chunk.range(), chunk.blank());
    } else {
      data(chunk.range());
    }
    work.looked(chunk.range().length());
  }

  private void zero(Range chunk, boolean blank) throws IOException {
    long from = -1;
    for (long at = chunk.start(); at < chunk.end(); at += DigestVolume.BLOCK) {
      long end = Math.min(chunk.end(), at + DigestVolume.BLOCK);
      boolean ship = differsFromZero(at, end, blank);
      if (ship && from < 0) {
        from = at;
      }
      if (!ship && from >= 0) {
        shipZero(new Range(from, at));
        from = -1;
      }
      if (work.pass().kind() != PassKind.TALLY) {
        work.digests().setZero(block(at));
      }
    }
    if (from >= 0) {
      shipZero(new Range(from, chunk.end()));
    }
  }

  private boolean differsFromZero(long at, long end, boolean blank) throws IOException {
    if (work.pass().kind() == PassKind.TALLY || work.digestKnown(at, end)) {
      return !work.digests().isZero(block(at));
    }
    return work.pass().kind() != PassKind.FULL
        && !blank
        && !isZero(read(target, new Range(at, end), back));
  }

  private void shipZero(Range range) throws IOException {
    work.shipped(range.start(), range.end(), true);
    if (work.pass().kind() == PassKind.TALLY) {
      return;
    }
    target.writeZeroes(range.start(), range.length());
    if (work.pass().verify() && !isZero(read(target, range, back))) {
      throw new VerifyException(range.start(), (int) range.length());
    }
  }

  private void data(Range chunk) throws IOException {
    read(source, chunk, buffer);
    work.wasRead(chunk.length());
    boolean haveReplica = false;
    // What an earlier attempt says that it shipped is not taken on its word: it is compared.
    boolean told = chunk.end() <= work.pass().resumeFrom();
    long from = -1;
    boolean fromZero = false;
    for (long at = chunk.start(); at < chunk.end(); at += DigestVolume.BLOCK) {
      long end = Math.min(chunk.end(), at + DigestVolume.BLOCK);
      byte[] digest = DigestVolume.digest(slice(buffer, chunk, at));
      boolean ship;
      if (work.pass().kind() == PassKind.TALLY || work.digestKnown(at, end) && !told) {
        ship = !work.digests().holds(block(at), digest);
      } else if (work.pass().kind() == PassKind.FULL && !told) {
        ship = true;
      } else {
        if (!haveReplica) {
          read(target, chunk, back);
          haveReplica = true;
        }
        ship = !slice(buffer, chunk, at).equals(slice(back, chunk, at));
      }
      if (work.pass().kind() != PassKind.TALLY) {
        work.digests().set(block(at), digest);
      }
      boolean zero = ship && DigestVolume.isZero(digest);
      if (from >= 0 && (!ship || zero != fromZero)) {
        shipRun(chunk, from, at, fromZero);
        haveReplica = false;
        from = -1;
      }
      if (ship && from < 0) {
        from = at;
        fromZero = zero;
      }
    }
    if (from >= 0) {
      shipRun(chunk, from, chunk.end(), fromZero);
    }
  }

  private void shipRun(Range chunk, long from, long to, boolean zero) throws IOException {
    if (zero) {
      if (work.pass().kind() != PassKind.FULL || chunk.end() <= work.pass().resumeFrom()) {
        shipZero(new Range(from, to));
      }
      return;
    }
    work.shipped(from, to, false);
    if (work.pass().kind() == PassKind.TALLY) {
      return;
    }
    int at = (int) (from - chunk.start());
    int length = (int) (to - from);
    target.write(from, buffer.slice(at, length));
    if (work.pass().verify()) {
      read(target, new Range(from, to), back);
      if (!back.slice(0, length).equals(buffer.slice(at, length))) {
        throw new VerifyException(from, length);
      }
    }
  }

  private static long block(long at) {
    return at / DigestVolume.BLOCK;
  }

  private static ByteBuffer slice(ByteBuffer bytes, Range chunk, long at) {
    int from = (int) (at - chunk.start());
    return bytes.slice(from, (int) Math.min(DigestVolume.BLOCK, chunk.length() - from));
  }

  private static ByteBuffer read(BlockDevice device, Range range, ByteBuffer into)
      throws IOException {
    into.clear().limit((int) range.length());
    device.read(range.start(), into);
    return into.flip();
  }

  private static boolean isZero(ByteBuffer bytes) {
    byte[] array = bytes.array();
    return Arrays.equals(
        array,
        bytes.arrayOffset(),
        bytes.arrayOffset() + bytes.remaining(),
        new byte[bytes.remaining()],
        0,
        bytes.remaining());
  }
}
