package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * One volume as it was at an instant, for reading. The bytes that the guest overwrites since are
 * kept in a scratch file of bounded room; when that is full the snapshot is dropped, and the
 * guest's write goes on.
 */
public final class Snapshot {

  private static final int BLOCK = Layer.BLOCK;

  private final Volume volume;
  private final VolumeStore store;
  private final Path dir;
  private final FileChannel scratch;
  private final BlockMap kept;
  private final Map<String, Marker> markersThen = new HashMap<>();
  private volatile boolean dropped;

  Snapshot(VolumeStore store, Volume volume, Path dir, boolean fresh) throws IOException {
    this.store = store;
    this.volume = volume;
    this.dir = dir;
    Files.createDirectories(dir);
    this.scratch =
        FileChannel.open(
            dir.resolve("scratch"),
            StandardOpenOption.CREATE,
            StandardOpenOption.READ,
            StandardOpenOption.WRITE);
    this.kept = new BlockMap(dir.resolve("kept"), (int) ((volume.size() + BLOCK - 1) / BLOCK));
    if (fresh) {
      for (Map.Entry<String, Marker> e : volume.markers().entrySet()) {
        markersThen.put(
            e.getKey(), e.getValue().copy(dir.resolve("since-" + e.getKey()), volume.size()));
      }
    } else {
      try (Stream<Path> files = Files.list(dir)) {
        for (Path file :
            files.filter(f -> f.getFileName().toString().startsWith("since-")).toList()) {
          markersThen.put(
              file.getFileName().toString().substring(6),
              new Marker(file, volume.size(), store.granularity()));
        }
      }
      store.room().scratchUsed(kept.count(BlockMap.DATA));
      dropped = Files.exists(dir.resolve("dropped"));
    }
  }

  Volume volume() {
    return volume;
  }

  /** Whether its room ran out; it can no longer be read. */
  public boolean dropped() {
    return dropped;
  }

  /**
   * Keeps a block's bytes before the first write to it. Called under the volume's monitor. Never
   * throws.
   */
  void keep(int block) {
    if (dropped || kept.get(block) != BlockMap.ABSENT) {
      return;
    }
    try {
      Layer holder = Volume.holder(volume.top(), block);
      if (holder == null || holder.state(block) == BlockMap.ZERO) {
        kept.set(block, BlockMap.ZERO);
        return;
      }
      if (!store.room().takeScratch()) {
        drop();
        return;
      }
      ByteBuffer old =
          ByteBuffer.allocate((int) Math.min(BLOCK, volume.size() - (long) block * BLOCK));
      holder.read((long) block * BLOCK, old);
      old.flip();
      long at = (long) block * BLOCK;
      while (old.hasRemaining()) {
        at += scratch.write(old, at);
      }
      kept.set(block, BlockMap.DATA);
    } catch (IOException e) {
      // The host's own disk failed under the scratch file: the guest comes first, the snapshot
      // goes.
      drop();
    }
  }

  private void drop() {
    dropped = true;
    store.room().scratchUsed(-kept.count(BlockMap.DATA));
    try {
      Files.createFile(dir.resolve("dropped"));
      scratch.truncate(0);
    } catch (IOException e) {
      store.warn("snapshot of " + volume.record().name() + " dropped, its scratch file stays", e);
    }
  }

  /** A read-only view; {@code since} names the marker whose changes it can tell. */
  BlockDevice view(Optional<String> since) {
    return new View(since.map(markersThen::get));
  }

  /** Whether changes since the marker are known. */
  public boolean knows(String marker) {
    return markersThen.containsKey(marker);
  }

  void delete() throws IOException {
    volume.snapshots().remove(this);
    if (!dropped) {
      store.room().scratchUsed(-kept.count(BlockMap.DATA));
    }
    scratch.close();
    try (Stream<Path> files = Files.list(dir)) {
      for (Path file : files.toList()) {
        Files.delete(file);
      }
    }
    Files.delete(dir);
  }

  private final class View implements BlockDevice {
    private final Optional<Marker> since;

    View(Optional<Marker> since) {
      this.since = since;
    }

    private void check() throws IOException {
      if (dropped) {
        throw new IOException(
            "the snapshot was dropped because its scratch room was full; production went on");
      }
    }

    @Override
    public long size() {
      return volume.size();
    }

    @Override
    public boolean readOnly() {
      return true;
    }

    @Override
    public void read(long offset, ByteBuffer into) throws IOException {
      BlockDevice.checkRange(size(), offset, into.remaining());
      while (into.hasRemaining()) {
        check();
        int block = (int) (offset / BLOCK);
        int n = (int) Math.min(BLOCK - offset % BLOCK, into.remaining());
        ByteBuffer part = into.slice(into.position(), n);
        store.instant().readLock().lock();
        try {
          synchronized (volume) {
            check();
            switch (kept.get(block)) {
              case BlockMap.DATA -> {
                long at = offset;
                while (part.hasRemaining()) {
                  int got = scratch.read(part, at);
                  if (got < 0) {
                    throw new IOException("the scratch file of the snapshot is short");
                  }
                  at += got;
                }
              }
              case BlockMap.ZERO -> part.put(new byte[n]);
              default -> Volume.readChain(volume.top(), offset, part);
            }
          }
        } finally {
          store.instant().readLock().unlock();
        }
        into.position(into.position() + n);
        offset += n;
      }
    }

    @Override
    public void write(long offset, ByteBuffer from) throws IOException {
      throw new ReadOnlyException("a snapshot of " + volume.record().name());
    }

    @Override
    public void writeZeroes(long offset, long length) throws IOException {
      throw new ReadOnlyException("a snapshot of " + volume.record().name());
    }

    @Override
    public void flush() {}

    @Override
    public boolean knows(Context context) {
      return context == Context.ALLOCATION || since.isPresent();
    }

    @Override
    public List<Extent> status(Context context, long offset, long length) throws IOException {
      BlockDevice.checkRange(size(), offset, length);
      check();
      if (context == Context.CHANGED) {
        Marker marker = since.orElseThrow(() -> new UnsupportedContextException(context));
        return Volume.extents(
            size(), offset, length, block -> marker.noted((long) block * BLOCK), marker::absent8);
      }
      synchronized (volume) {
        return Volume.extents(
            size(),
            offset,
            length,
            block -> {
              byte state = kept.get(block);
              if (state != BlockMap.ABSENT) {
                return state == BlockMap.DATA;
              }
              Layer holder = Volume.holder(volume.top(), block);
              return holder != null && holder.state(block) == BlockMap.DATA;
            },
            block -> kept.absent8(block) && Volume.absent8(volume.top(), block));
      }
    }

    @Override
    public void close() {}
  }
}
