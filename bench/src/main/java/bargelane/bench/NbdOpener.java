package bargelane.bench;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.pass.Opener;
import java.io.IOException;
import java.util.Optional;

/** Opens an export as a tug does. */
record NbdOpener(String uri) implements Opener {

  @Override
  public BlockDevice open() throws IOException {
    return NbdClient.connect(NbdAddress.parse(uri));
  }

  @Override
  public BlockDevice open(BlockDigest digest) throws IOException {
    return NbdClient.connect(NbdAddress.parse(uri), Optional.of(digest));
  }
}
