package bargelane.service.move;

import bargelane.core.wave.ProbePlan;
import bargelane.service.platform.Json;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.Socket;
import java.net.SocketTimeoutException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;

/** Asks a machine's service whether it is there, and where it says so, who it is. */
final class Probe {

  private static final Duration CONNECT = Duration.ofSeconds(2);

  /** How long a whole answer over HTTP may take, its body included. */
  private static final Duration ANSWER = Duration.ofSeconds(3);

  /** The longest name that is repeated to the engineer. */
  private static final int LONGEST_NAME = 80;

  /** How long a connection must last, or be silent, to count. */
  private static final Duration LASTING = Duration.ofMillis(500);

  private static final HttpClient HTTP =
      HttpClient.newBuilder().version(HttpClient.Version.HTTP_1_1).connectTimeout(CONNECT).build();

  private Probe() {}

  /** Who an answer says it comes from; empty if it does not say so in a way that we know. */
  private static String name(byte[] body) {
    try {
      String told = Json.MAPPER.readTree(body).path("machine").asText();
      return told.substring(0, Math.min(told.length(), LONGEST_NAME)).replaceAll("\\p{Cntrl}", "?");
    } catch (IOException e) {
      return "";
    }
  }

  /**
   * What is still missing; empty once the machine answers as its plan wants it.
   *
   * @param called what its platform calls it; it may say either name of itself
   */
  static Optional<String> of(
      Compute compute, String id, String name, String called, ProbePlan plan) {
    if (plan.kind() == ProbePlan.Kind.NONE) {
      return Optional.empty();
    }
    Compute.WayIn way = compute.wayIn(id, plan.port());
    try {
      return plan.kind() == ProbePlan.Kind.TCP
          ? tcp(way, name)
          : http(way, name, called, plan.path());
    } catch (IOException e) {
      return Optional.of(name + " does not answer yet: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", "the probe was interrupted", e);
    }
  }

  private static Optional<String> http(Compute.WayIn way, String name, String called, String path)
      throws IOException, InterruptedException {
    URI uri = URI.create("http://" + way.host() + ":" + way.port() + path);
    HttpResponse<byte[]> r = answer(HttpRequest.newBuilder(uri).build());
    String told = name(r.body());
    return r.statusCode() < 400
            && (told.isEmpty() || told.startsWith(name) || told.startsWith(called))
        ? Optional.empty()
        : Optional.of(
            name
                + " answered status "
                + r.statusCode()
                + (told.isEmpty() ? "" : " as '" + told + "'"));
  }

  /** A guest is not trusted to end what it sends: neither its length nor its time is its own. */
  private static HttpResponse<byte[]> answer(HttpRequest request)
      throws IOException, InterruptedException {
    CompletableFuture<HttpResponse<byte[]>> sent = HTTP.sendAsync(request, head -> new BriefBody());
    try {
      return sent.get(ANSWER.toMillis(), TimeUnit.MILLISECONDS);
    } catch (TimeoutException e) {
      throw new IOException("no whole answer within " + ANSWER.toSeconds() + " s", e);
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    } finally {
      sent.cancel(true);
    }
  }

  /**
   * A connection counts if it lasts. Where somebody on the way accepts for the guest, only what the
   * guest itself sends first does.
   */
  private static Optional<String> tcp(Compute.WayIn way, String name) throws IOException {
    try (Socket socket = new Socket()) {
      socket.connect(new InetSocketAddress(way.host(), way.port()), (int) CONNECT.toMillis());
      socket.setSoTimeout((int) LASTING.toMillis());
      if (socket.getInputStream().read() < 0) {
        return Optional.of(name + " closes connections as soon as it has accepted them");
      }
      return Optional.empty();
    } catch (SocketTimeoutException e) {
      return way.direct()
          ? Optional.empty()
          : Optional.of(
              name
                  + " sends nothing; connections to it are accepted by what forwards them, so only"
                  + " what it sends first or an answer over HTTP tells that it is up");
    }
  }
}
