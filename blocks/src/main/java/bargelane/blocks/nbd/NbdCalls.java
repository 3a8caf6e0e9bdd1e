package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.Ranges;
import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * The requests in flight on one connection. Each thread sends its own and waits for its answer;
 * whichever of those who wait is first reads for all of them.
 */
final class NbdCalls implements Closeable {

  /** Extents of one context in one answer: a payload of the largest size holds as many. */
  private static final int MOST_EXTENTS = MAX_PAYLOAD / 8;

  private final Wire wire;
  private final String export;

  /** Whether the server answers in structured replies. */
  private final boolean structured;

  private final Object sending = new Object();
  private final Object waiting = new Object();
  private final Map<Long, Call> calls = new HashMap<>();
  private long cookie;
  private boolean reading;
  private IOException broken;
  private volatile boolean closed;

  NbdCalls(Wire wire, String export, boolean structured) {
    this.wire = wire;
    this.export = export;
    this.structured = structured;
  }

  /** One request, from when it is sent until its last answer. Guarded by who reads the wire. */
  static final class Call {
    final String operation;
    final long offset;
    final int length;

    /** Where the answer's bytes go; null if it has none. */
    final ByteBuffer into;

    /** Which bytes of the answer have come; a server may not leave one out. */
    final Ranges answered = new Ranges();

    final Map<Integer, List<long[]>> extents = new HashMap<>();
    IOException failure;
    boolean done;

    Call(String operation, long offset, int length, ByteBuffer into) {
      this.operation = operation;
      this.offset = offset;
      this.length = length;
      this.into = into;
    }

    List<long[]> of(int context) {
      return extents.getOrDefault(context, List.of());
    }

    /** The place of a part of the answer. */
    ByteBuffer part(long at, long n) throws IOException {
      if (into == null || n <= 0 || at < offset || n > length || at - offset > length - n) {
        throw new IOException("the disk server sent bytes that were not asked for");
      }
      answered.add(at - offset, at - offset + n);
      return into.slice((int) (at - offset), (int) n);
    }
  }

  /**
   * Sends a request and waits for its answer.
   *
   * @param payload what follows the request; null if nothing does
   * @throws NbdException if the disk server says that it failed
   */
  void perform(Call call, int type, ByteBuffer payload) throws IOException {
    ByteBuffer head = ByteBuffer.allocate(28);
    head.putInt(REQUEST_MAGIC).putShort((short) 0).putShort((short) type);
    synchronized (sending) {
      synchronized (waiting) {
        checkOpen();
        calls.put(++cookie, call);
      }
      head.putLong(cookie).putLong(call.offset).putInt(call.length).flip();
      try {
        if (payload == null) {
          wire.write(head);
        } else {
          wire.write(head, payload);
        }
      } catch (IOException e) {
        breakOff(e);
        throw e;
      }
    }
    await(call);
    if (call.failure != null) {
      throw call.failure;
    }
  }

  private void checkOpen() throws IOException {
    if (closed) {
      throw new IOException("export " + export + " is closed");
    }
    if (broken != null) {
      throw new IOException(
          "the connection to export " + export + " is broken: " + broken.getMessage(), broken);
    }
  }

  /** Waits for a call's end; one of those who wait reads for all. */
  private void await(Call call) throws IOException {
    while (true) {
      synchronized (waiting) {
        try {
          while (!call.done && reading) {
            waiting.wait();
          }
        } catch (InterruptedException e) {
          Thread.currentThread().interrupt();
          wire.close();
          throw new IOException("interrupted while waiting for the disk server", e);
        }
        if (call.done) {
          return;
        }
        reading = true;
      }
      try {
        receive();
      } catch (IOException e) {
        breakOff(e);
      } catch (RuntimeException e) {
        breakOff(new IOException("garbled reply from the disk server of export " + export, e));
      }
      // After a failure nobody waits any more, so nobody reads on from the middle of an answer.
      synchronized (waiting) {
        reading = false;
        waiting.notifyAll();
      }
    }
  }

  /** Ends every call: what the peer says from now on can't be told apart. */
  private void breakOff(IOException cause) throws IOException {
    synchronized (waiting) {
      if (broken == null) {
        broken = cause;
      }
      calls.values().forEach(c -> end(c, closed ? closedBy(cause) : cause));
      calls.clear();
      waiting.notifyAll();
    }
    wire.close();
  }

  private IOException closedBy(IOException cause) {
    return new IOException("export " + export + " is closed", cause);
  }

  private static void end(Call call, IOException failure) {
    // Each caller has a trace of its own, and the cause once.
    call.failure = call.failure == null && failure != null ? again(failure) : call.failure;
    call.done = true;
  }

  private static IOException again(IOException e) {
    return e instanceof BlockDevice.NoSpaceException || e instanceof NbdException
        ? e
        : new IOException(e.getMessage(), e);
  }

  /** Reads one reply, or one part of one. */
  private void receive() throws IOException {
    int magic = wire.take(4).getInt();
    if (magic == SIMPLE_REPLY_MAGIC) {
      ByteBuffer head = wire.take(12);
      int error = head.getInt();
      long of = head.getLong();
      Call call = call(of);
      if (error != 0) {
        call.failure = failure(call.operation, error, "the disk server failed");
      } else if (call.into != null) {
        if (structured) {
          throw new IOException("the disk server answers a read without saying where");
        }
        wire.read(call.part(call.offset, call.length));
      }
      finish(of, call);
    } else if (magic == STRUCTURED_REPLY_MAGIC && structured) {
      ByteBuffer head = wire.take(16);
      int flagBits = head.getShort();
      int type = head.getShort() & 0xffff;
      long of = head.getLong();
      Call call = call(of);
      part(call, type, payload(head.getInt()));
      if ((flagBits & REPLY_DONE) != 0) {
        finish(of, call);
      }
    } else {
      throw new IOException("garbled reply from the disk server of export " + export);
    }
  }

  private Call call(long of) throws IOException {
    synchronized (waiting) {
      Call call = calls.get(of);
      if (call == null) {
        throw new IOException("reply to no request from the disk server of export " + export);
      }
      return call;
    }
  }

  private void finish(long of, Call call) throws IOException {
    if (call.into != null && call.failure == null && !call.answered.covers(0, call.length)) {
      throw new IOException(
          "the disk server of export " + export + " left out a part of what was asked for");
    }
    synchronized (waiting) {
      calls.remove(of);
      end(call, null);
      waiting.notifyAll();
    }
  }

  private void part(Call call, int type, int length) throws IOException {
    switch (type) {
      case REPLY_NONE -> wire.take(length);
      case REPLY_OFFSET_DATA -> {
        long at = wire.take(8).getLong();
        wire.read(call.part(at, length - 8L));
      }
      case REPLY_OFFSET_HOLE -> {
        ByteBuffer hole = wire.take(12);
        ByteBuffer zeroes = call.part(hole.getLong(), hole.getInt() & 0xffffffffL);
        zeroes.put(new byte[zeroes.remaining()]);
      }
      case REPLY_BLOCK_STATUS -> {
        ByteBuffer data = wire.take(length);
        List<long[]> extents = call.extents.computeIfAbsent(data.getInt(), k -> new ArrayList<>());
        if (extents.size() + data.remaining() / 8 > MOST_EXTENTS) {
          throw new IOException("the disk server's answer about its extents does not end");
        }
        while (data.remaining() >= 8) {
          long n = data.getInt() & 0xffffffffL;
          extents.add(new long[] {n, data.getInt()});
        }
      }
      default -> {
        ByteBuffer data = wire.take(length);
        if (type >= REPLY_ERROR) {
          int error = data.getInt();
          byte[] text = new byte[Math.min(data.getShort() & 0xffff, data.remaining())];
          data.get(text);
          call.failure = failure(call.operation, error, new String(text, StandardCharsets.UTF_8));
        }
      }
    }
  }

  private static int payload(int length) throws IOException {
    if (length < 0 || length > MAX_PAYLOAD) {
      throw new IOException(
          "the disk server announced a payload of " + (length & 0xffffffffL) + " bytes");
    }
    return length;
  }

  private IOException failure(String operation, int error, String message) {
    return error == ENOSPC
        ? new BlockDevice.NoSpaceException("no space left behind export " + export + ": " + message)
        : new NbdException(operation, export, error, message);
  }

  @Override
  public void close() throws IOException {
    closed = true;
    wire.close();
  }
}
