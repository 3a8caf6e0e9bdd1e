package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import java.nio.ByteBuffer;

/** A device that refuses to be written. */
public abstract class ReadOnlyDisk implements BlockDevice {

  private final String what;

  /**
   * @param what names it where a write is refused
   */
  protected ReadOnlyDisk(String what) {
    this.what = what;
  }

  @Override
  public boolean readOnly() {
    return true;
  }

  @Override
  public void write(long offset, ByteBuffer from) throws ReadOnlyException {
    throw new ReadOnlyException(what);
  }

  @Override
  public void writeZeroes(long offset, long length) throws ReadOnlyException {
    throw new ReadOnlyException(what);
  }

  @Override
  public void flush() {}
}
