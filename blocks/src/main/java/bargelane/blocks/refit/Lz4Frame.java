package bargelane.blocks.refit;

import bargelane.blocks.layout.LayoutException;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import org.apache.commons.compress.compressors.lz4.BlockLZ4CompressorInputStream;
import org.apache.commons.compress.compressors.lz4.BlockLZ4CompressorOutputStream;

/**
 * The unpacked bytes of a legacy LZ4 frame, the one that kernels unpack (LZ4 Frame Format
 * Description 1.6.4, "Legacy frame"): blocks of at most 8 MiB, each packed by itself, to the end of
 * the file.
 */
final class Lz4Frame extends InputStream {

  /** 0x184C2102, the least byte first. */
  static final String MAGIC = "\u0002!L\u0018";

  private static final int BLOCK = 8 * 1024 * 1024;

  /** LZ4's own bound for what a block of incompressible bytes takes. */
  private static final int MOST_PACKED = BLOCK + BLOCK / 255 + 16;

  private final ByteBuffer file;
  private InputStream block = InputStream.nullInputStream();
  private long unpacked;
  private int inBlock;

  /** The frame that begins at a byte of a file. */
  Lz4Frame(byte[] file, int at) {
    this.file = ByteBuffer.wrap(file).order(ByteOrder.LITTLE_ENDIAN).position(at + MAGIC.length());
  }

  /** How many bytes were unpacked so far. */
  long unpacked() {
    return unpacked;
  }

  @Override
  public int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }

  @Override
  public int read(byte[] into, int offset, int length) throws IOException {
    if (length == 0) {
      return 0;
    }
    while (true) {
      int n;
      try {
        n = block.read(into, offset, length);
      } catch (IOException | IllegalArgumentException | IndexOutOfBoundsException e) {
        throw new LayoutException("the initramfs is damaged: " + e.getMessage());
      }
      if (n > 0) {
        unpacked += n;
        inBlock += n;
        if (inBlock > BLOCK) {
          throw new LayoutException("the initramfs has a block that is larger than can be");
        }
        return n;
      }
      if (!file.hasRemaining()) {
        return -1;
      }
      next();
    }
  }

  private void next() throws LayoutException {
    if (file.remaining() < Integer.BYTES) {
      throw new LayoutException("the initramfs is cut short");
    }
    int packed = file.getInt();
    if (packed <= 0 || packed > MOST_PACKED || packed > file.remaining()) {
      throw new LayoutException("the initramfs has a block that can't be, at " + file.position());
    }
    block =
        new BlockLZ4CompressorInputStream(
            new ByteArrayInputStream(file.array(), file.position(), packed));
    file.position(file.position() + packed);
    inBlock = 0;
  }

  /** Blocks that go on a frame. */
  static byte[] blocks(byte[] bytes) throws IOException {
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    for (int at = 0; at < bytes.length; at += BLOCK) {
      ByteArrayOutputStream packed = new ByteArrayOutputStream();
      try (BlockLZ4CompressorOutputStream out = new BlockLZ4CompressorOutputStream(packed)) {
        out.write(bytes, at, Math.min(BLOCK, bytes.length - at));
      }
      ByteBuffer size = ByteBuffer.allocate(Integer.BYTES).order(ByteOrder.LITTLE_ENDIAN);
      all.write(size.putInt(packed.size()).array());
      packed.writeTo(all);
    }
    return all.toByteArray();
  }
}
