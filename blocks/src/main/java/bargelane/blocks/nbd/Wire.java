package bargelane.blocks.nbd;

import java.io.Closeable;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.Socket;
import java.nio.ByteBuffer;
import java.nio.channels.SocketChannel;

/**
 * Two-way byte stream of one connection. One thread may read while another writes, and {@link
 * #close} from any thread ends both. Buffers have backing arrays.
 */
interface Wire extends Closeable {

  /** Fills the buffer, or throws {@link EOFException} if the peer is gone. */
  void read(ByteBuffer into) throws IOException;

  /** Writes all that remains. */
  void write(ByteBuffer from) throws IOException;

  /** Reads exactly {@code n} bytes, ready to be taken from. */
  default ByteBuffer take(int n) throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(n);
    read(buffer);
    return buffer.flip();
  }

  /** Over a blocking channel: a Unix socket. */
  static Wire of(SocketChannel channel) {
    return new Wire() {
      @Override
      public void read(ByteBuffer into) throws IOException {
        while (into.hasRemaining()) {
          if (channel.read(into) < 0) {
            throw new EOFException("the disk server closed the connection");
          }
        }
      }

      @Override
      public void write(ByteBuffer from) throws IOException {
        while (from.hasRemaining()) {
          channel.write(from);
        }
      }

      @Override
      public void close() throws IOException {
        channel.close();
      }
    };
  }

  /** Over a socket: plain only until TLS is negotiated, then its TLS layer. */
  static Wire of(Socket socket) throws IOException {
    InputStream in = socket.getInputStream();
    OutputStream out = socket.getOutputStream();
    return new Wire() {
      @Override
      public void read(ByteBuffer into) throws IOException {
        int n = into.remaining();
        if (in.readNBytes(into.array(), into.arrayOffset() + into.position(), n) < n) {
          throw new EOFException("the disk server closed the connection");
        }
        into.position(into.limit());
      }

      @Override
      public void write(ByteBuffer from) throws IOException {
        out.write(from.array(), from.arrayOffset() + from.position(), from.remaining());
        out.flush();
        from.position(from.limit());
      }

      @Override
      public void close() throws IOException {
        socket.close();
      }
    };
  }
}
