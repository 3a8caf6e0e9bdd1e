package bargelane.blocks.nbd;

import java.util.Locale;

/**
 * Numbers of the NBD protocol, fixed newstyle handshake, from the protocol document of the NBD
 * project (doc/proto.md, sections "Option types", "Reply types", "Transmission flags", "Request
 * types", "Structured reply types", "Error values").
 */
final class Nbd {
  static final long MAGIC = 0x4e42444d41474943L;
  static final long OPTION_MAGIC = 0x49484156454F5054L;
  static final long OPTION_REPLY_MAGIC = 0x3e889045565a9L;
  static final int REQUEST_MAGIC = 0x25609513;
  static final int SIMPLE_REPLY_MAGIC = 0x67446698;
  static final int STRUCTURED_REPLY_MAGIC = 0x668e33ef;

  static final int FIXED_NEWSTYLE = 1;
  static final int NO_ZEROES = 2;

  static final int OPT_EXPORT_NAME = 1;
  static final int OPT_ABORT = 2;
  static final int OPT_STARTTLS = 5;
  static final int OPT_INFO = 6;
  static final int OPT_GO = 7;
  static final int OPT_STRUCTURED_REPLY = 8;
  static final int OPT_LIST_META_CONTEXT = 9;
  static final int OPT_SET_META_CONTEXT = 10;

  static final int REP_ACK = 1;
  static final int REP_INFO = 3;
  static final int REP_META_CONTEXT = 4;
  static final int REP_ERR_UNSUP = 0x80000001;
  static final int REP_ERR_POLICY = 0x80000002;
  static final int REP_ERR_INVALID = 0x80000003;
  static final int REP_ERR_TLS_REQD = 0x80000005;
  static final int REP_ERR_UNKNOWN = 0x80000006;

  static final int INFO_EXPORT = 0;

  static final int HAS_FLAGS = 1;
  static final int READ_ONLY = 2;
  static final int SEND_FLUSH = 4;
  static final int SEND_WRITE_ZEROES = 64;
  static final int CAN_MULTI_CONN = 256;

  static final int CMD_READ = 0;
  static final int CMD_WRITE = 1;
  static final int CMD_DISC = 2;
  static final int CMD_FLUSH = 3;
  static final int CMD_WRITE_ZEROES = 6;
  static final int CMD_BLOCK_STATUS = 7;

  /** Flag of a request for block status: one extent a context, and no more. */
  static final int REQ_ONE = 8;

  static final int REPLY_DONE = 1;
  static final int REPLY_NONE = 0;
  static final int REPLY_OFFSET_DATA = 1;
  static final int REPLY_OFFSET_HOLE = 2;
  static final int REPLY_BLOCK_STATUS = 5;
  static final int REPLY_ERROR = 0x8001;

  static final int EPERM = 1;
  static final int EIO = 5;
  static final int EINVAL = 22;
  static final int ENOSPC = 28;
  static final int ESHUTDOWN = 108;

  /** Longest request payload that either side takes. */
  static final int MAX_PAYLOAD = 32 * 1024 * 1024;

  /** Longest option that either side takes. */
  static final int MAX_OPTION = 64 * 1024;

  static final String ALLOCATION = "base:allocation";

  /** Our own context: bit 0 of the flags is set where the export changed since its marker. */
  static final String CHANGED = "bargelane:changed";

  /**
   * Our own contexts: the flags of each block of 64 KiB are the part of its digest that begins at
   * byte {@code 4 * part}, as a big-endian number.
   */
  static String digestContext(long key, int part) {
    return String.format(Locale.ROOT, DIGEST + "%016x:%d", key, part);
  }

  static final String DIGEST = "bargelane:xxh128:";

  private Nbd() {}
}
