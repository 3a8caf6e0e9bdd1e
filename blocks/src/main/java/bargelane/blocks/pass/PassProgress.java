package bargelane.blocks.pass;

/**
 * Where a pass stands on one disk, in bytes.
 *
 * @param total bytes to look at
 * @param done of those, looked at (and shipped where they differ)
 * @param read bytes read from the source
 * @param sent bytes of data sent to the target
 * @param zeroed bytes made zero at the target without sending them
 * @param watermark offset below which everything is shipped and flushed to stable storage at the
 *     target; whoever goes on from there compares it once more
 */
public record PassProgress(
    long total, long done, long read, long sent, long zeroed, long watermark) {}
