package bargelane.sites.standin;

import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageSeries;
import bargelane.sites.SiteException;
import bargelane.sites.SiteException.Kind;
import bargelane.sites.UsageHistory;
import java.io.BufferedInputStream;
import java.io.DataInputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.time.Instant;
import java.util.function.Consumer;

/** The simulated platforms' samples, read as they are sent. */
final class StandinHistory implements UsageHistory {

  private static final Duration KEPT = Duration.ofDays(45);
  private static final int VALUES = Metric.values().length;
  private static final int MOST_SAMPLES = 400 * 86_400 / 60;

  private final String site;
  private final StandinHttp http;

  StandinHistory(String site, StandinHttp http) {
    this.site = site;
    this.http = http;
  }

  @Override
  public Duration kept() {
    return KEPT;
  }

  @Override
  public void read(Instant from, Instant to, Consumer<UsageSeries> each) {
    try (DataInputStream in =
        new DataInputStream(
            new BufferedInputStream(
                http.stream("/v1/usage?from=" + from + "&to=" + to), 1 << 16))) {
      for (String id = in.readUTF(); !id.isEmpty(); id = in.readUTF()) {
        Instant first = Instant.ofEpochSecond(in.readLong());
        int step = in.readInt();
        int count = in.readInt();
        if (count < 0 || count > MOST_SAMPLES) {
          throw garbled(count + " samples of machine " + id);
        }
        byte[] bytes = in.readNBytes(count * VALUES * Float.BYTES);
        if (bytes.length < count * VALUES * Float.BYTES) {
          throw new java.io.EOFException("the answer ended within machine " + id);
        }
        float[] values = new float[count * VALUES];
        ByteBuffer.wrap(bytes).asFloatBuffer().get(values);
        UsageSeries series;
        try {
          series = new UsageSeries(id, first, step, values);
        } catch (IllegalArgumentException e) {
          throw garbled("machine " + id + ": " + e.getMessage());
        }
        each.accept(series);
      }
    } catch (IOException e) {
      throw http.unreachable(e);
    }
  }

  private SiteException garbled(String what) {
    return new SiteException(
        Kind.FINAL, "garbled", site + " told usage that can't be: " + what, null);
  }
}
