package bargelane.blocks.nbd;

import java.io.Closeable;
import java.io.EOFException;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.InetSocketAddress;
import java.net.SocketTimeoutException;
import java.net.StandardProtocolFamily;
import java.net.StandardSocketOptions;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.AsynchronousCloseException;
import java.nio.channels.ClosedByInterruptException;
import java.nio.channels.ClosedChannelException;
import java.nio.channels.ClosedSelectorException;
import java.nio.channels.SelectionKey;
import java.nio.channels.Selector;
import java.nio.channels.SocketChannel;
import java.nio.file.Path;
import java.time.Duration;
import java.util.concurrent.Future;
import java.util.concurrent.ScheduledThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import javax.net.ssl.SSLEngine;
import javax.net.ssl.SSLEngineResult;
import javax.net.ssl.SSLEngineResult.HandshakeStatus;

/**
 * Two-way byte stream of one connection, in the clear or under TLS. One thread may read while
 * another writes, and {@link #close} from any thread ends both. Silence of the peer ends a call
 * after the wire's patience.
 *
 * <p>Bytes pass through two buffers of {@value #BUFFER} bytes outside the heap, large ones of a
 * caller that lie there too go in the clear without; that and 32 KiB of TLS records is all the
 * memory a connection takes.
 */
final class Wire implements Closeable {

  private static final int BUFFER = 128 * 1024;

  /** What lies outside the heap itself is not copied if it is so large. */
  private static final int LARGE = 16 * 1024;

  /** Room for any TLS record (RFC 8446, 5.2: 16 KiB and 256 bytes; RFC 5246, 6.2.3: 2 KiB). */
  private static final int RECORD = 18 * 1024;

  private static final ByteBuffer NOTHING = ByteBuffer.allocate(0);

  /** A Unix socket can only be given up on from outside. */
  private static final ScheduledThreadPoolExecutor LIMITS = limits();

  private final SocketChannel channel;
  private final Selector readable;
  private final Selector writable;

  /** Bytes from the peer that nobody has taken yet; always ready to be taken from. */
  private final ByteBuffer netIn = ByteBuffer.allocateDirect(BUFFER).limit(0);

  /** Bytes that are still to be sent; always ready to be added to. */
  private final ByteBuffer netOut = ByteBuffer.allocateDirect(BUFFER);

  /** Bytes of the last TLS record that nobody has taken yet; ready to be taken from. */
  private ByteBuffer record = NOTHING;

  private volatile SSLEngine tls;
  private volatile long patienceMs;

  private static ScheduledThreadPoolExecutor limits() {
    ScheduledThreadPoolExecutor limits =
        new ScheduledThreadPoolExecutor(
            1,
            r -> {
              Thread thread = new Thread(r, "nbd-limits");
              thread.setDaemon(true);
              return thread;
            });
    limits.setRemoveOnCancelPolicy(true);
    return limits;
  }

  private Wire(SocketChannel channel) throws IOException {
    this.channel = channel;
    channel.configureBlocking(false);
    this.readable = Selector.open();
    this.writable = Selector.open();
    channel.register(readable, SelectionKey.OP_READ);
    channel.register(writable, SelectionKey.OP_WRITE);
  }

  /** Over a channel that is connected. {@link #patience} is without end. */
  static Wire of(SocketChannel connected) throws IOException {
    try {
      return new Wire(connected);
    } catch (IOException e) {
      connected.close();
      throw e;
    }
  }

  /** Connects to a Unix socket; a listener whose queue is full is waited for (unix(7)). */
  static Wire unix(Path socket, Duration limit) throws IOException {
    SocketChannel channel = SocketChannel.open(StandardProtocolFamily.UNIX);
    Future<?> giveUp =
        LIMITS.schedule(() -> closeQuietly(channel), limit.toMillis(), TimeUnit.MILLISECONDS);
    try {
      channel.connect(UnixDomainSocketAddress.of(socket));
      if (!giveUp.cancel(false)) {
        throw new AsynchronousCloseException();
      }
    } catch (ClosedByInterruptException e) {
      giveUp.cancel(false);
      throw new IOException("interrupted while connecting to the disk server", e);
    } catch (AsynchronousCloseException e) {
      throw new SocketTimeoutException(
          "the disk server takes no connection within " + limit.toMillis() + " ms");
    } catch (IOException e) {
      giveUp.cancel(false);
      channel.close();
      throw e;
    }
    return of(channel);
  }

  private static void closeQuietly(SocketChannel channel) {
    try {
      channel.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Connects over TCP: for TLS only. */
  static Wire tcp(InetSocketAddress address, Duration limit) throws IOException {
    SocketChannel channel = SocketChannel.open();
    try {
      channel.socket().connect(address, Math.toIntExact(limit.toMillis()));
      channel.setOption(StandardSocketOptions.TCP_NODELAY, true);
    } catch (IOException e) {
      channel.close();
      throw e;
    }
    return of(channel);
  }

  /** How long the peer may neither send nor take a byte that is waited for; zero for ever. */
  Wire patience(Duration limit) {
    patienceMs = limit.toMillis();
    return this;
  }

  /** Reads exactly {@code n} bytes, ready to be taken from. */
  ByteBuffer take(int n) throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(n);
    read(buffer);
    return buffer.flip();
  }

  /** Fills the buffer, or throws {@link EOFException} if the peer is gone. */
  void read(ByteBuffer into) throws IOException {
    while (into.hasRemaining()) {
      if (tls == null) {
        if (netIn.hasRemaining()) {
          move(netIn, into);
        } else if (into.isDirect() && into.remaining() >= LARGE) {
          receive(into);
        } else {
          netIn.clear();
          try {
            receive(netIn);
          } finally {
            netIn.flip();
          }
        }
      } else if (record.hasRemaining()) {
        move(record, into);
      } else {
        unwrap(into);
      }
    }
  }

  /** Writes all that remains in all of them, in order. */
  void write(ByteBuffer... parts) throws IOException {
    for (ByteBuffer part : parts) {
      while (part.hasRemaining()) {
        if (tls == null && part.isDirect() && part.remaining() >= LARGE) {
          send();
          send(part);
        } else if (tls == null) {
          if (!netOut.hasRemaining()) {
            send();
          }
          move(part, netOut);
        } else {
          wrap(part);
        }
      }
    }
    send();
  }

  /** As much as fits. */
  private static void move(ByteBuffer from, ByteBuffer to) {
    int n = Math.min(from.remaining(), to.remaining());
    to.put(to.position(), from, from.position(), n);
    from.position(from.position() + n);
    to.position(to.position() + n);
  }

  /** Adds what the peer has sent to a buffer; waits until there is something. */
  private void receive(ByteBuffer into) throws IOException {
    int n = channel.read(into);
    while (n == 0) {
      await(readable);
      n = channel.read(into);
    }
    if (n < 0) {
      throw new EOFException("the disk server closed the connection");
    }
  }

  /** Sends all of {@link #netOut}. */
  private void send() throws IOException {
    netOut.flip();
    try {
      send(netOut);
    } finally {
      netOut.compact();
    }
  }

  private void send(ByteBuffer from) throws IOException {
    while (from.hasRemaining()) {
      if (channel.write(from) == 0) {
        await(writable);
      }
    }
  }

  private void await(Selector selector) throws IOException {
    try {
      long patience = patienceMs;
      if (selector.select(patience) == 0
          && selector.isOpen()
          && channel.isOpen()
          && !Thread.currentThread().isInterrupted()) {
        throw new SocketTimeoutException(
            "the disk server has been silent for " + patience / 1000 + " s");
      }
      selector.selectedKeys().clear();
    } catch (ClosedSelectorException e) {
      throw new ClosedChannelException();
    }
    if (Thread.currentThread().isInterrupted()) {
      close();
      throw new IOException("interrupted while waiting for the disk server");
    }
  }

  /**
   * Goes over to TLS: whatever is said from now on is under it (RFC 8446). Later handshake messages
   * are answered with the next write.
   */
  void secure(SSLEngine engine) throws IOException {
    engine.beginHandshake();
    tls = engine;
    HandshakeStatus status = engine.getHandshakeStatus();
    while (status != HandshakeStatus.FINISHED && status != HandshakeStatus.NOT_HANDSHAKING) {
      status =
          switch (status) {
            case NEED_TASK -> {
              for (Runnable t = engine.getDelegatedTask();
                  t != null;
                  t = engine.getDelegatedTask()) {
                t.run();
              }
              yield engine.getHandshakeStatus();
            }
            case NEED_WRAP -> {
              SSLEngineResult result = wrap(NOTHING);
              send();
              yield result.getHandshakeStatus();
            }
            default -> unwrap(NOTHING).getHandshakeStatus();
          };
    }
  }

  /** Puts one record more into {@link #netOut}. */
  private SSLEngineResult wrap(ByteBuffer part) throws IOException {
    while (true) {
      SSLEngineResult result = tls.wrap(part, netOut);
      switch (result.getStatus()) {
        case OK -> {
          return result;
        }
        case BUFFER_OVERFLOW -> send();
        default -> throw new EOFException("the TLS connection is closed");
      }
    }
  }

  /** Takes one record from {@link #netIn}: into the buffer if it has room, else aside. */
  private SSLEngineResult unwrap(ByteBuffer into) throws IOException {
    while (true) {
      SSLEngineResult result = tls.unwrap(netIn, into);
      if (result.getStatus() == SSLEngineResult.Status.BUFFER_OVERFLOW) {
        // Said of a record of which only the head may have come.
        record = record.capacity() > 0 ? record.clear() : ByteBuffer.allocate(RECORD);
        result = tls.unwrap(netIn, record);
        record.flip();
      }
      switch (result.getStatus()) {
        case OK -> {
          return result;
        }
        case BUFFER_UNDERFLOW -> {
          netIn.compact();
          try {
            receive(netIn);
          } finally {
            netIn.flip();
          }
        }
        case BUFFER_OVERFLOW -> throw new IOException("a TLS record is larger than records may be");
        default -> throw new EOFException("the disk server closed the connection");
      }
    }
  }

  @Override
  public void close() throws IOException {
    channel.close();
    readable.close();
    writable.close();
  }
}
