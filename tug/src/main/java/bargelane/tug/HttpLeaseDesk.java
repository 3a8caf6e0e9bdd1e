package bargelane.tug;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.api.LeaseTake;
import bargelane.api.Problem;
import bargelane.api.Trust;
import bargelane.blocks.tls.ServerKeys;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpTimeoutException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;

/** The lease desk of a service, over its HTTP interface. */
public final class HttpLeaseDesk implements LeaseDesk {

  private static final ObjectMapper JSON =
      new ObjectMapper().configure(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES, false);

  /** How long the service may take to open a pass's exports at slow sites. */
  private static final int OPENING_SECONDS = 45;

  private final HttpClient http;
  private final URI service;
  private final String token;

  /**
   * @param service base address, such as {@code https://127.0.0.1:8080}
   * @param token a token with the right to take leases
   * @param trust whom to take for the service
   */
  public HttpLeaseDesk(URI service, String token, Trust trust) {
    http =
        HttpClient.newBuilder()
            .version(HttpClient.Version.HTTP_1_1)
            .connectTimeout(Duration.ofSeconds(10))
            .sslContext(trust.context())
            .build();
    this.service = service;
    this.token = token;
  }

  @Override
  public Optional<Lease> take(String tug, int waitSeconds) throws IOException {
    HttpResponse<byte[]> r =
        send(
            "",
            JSON.writeValueAsBytes(
                new LeaseTake(tug, Tug.VERSION, waitSeconds, ServerKeys.own().fingerprint())),
            "take",
            waitSeconds + OPENING_SECONDS);
    return r.statusCode() == 204
        ? Optional.empty()
        : Optional.of(JSON.readValue(r.body(), Lease.class));
  }

  @Override
  public void report(String pass, LeaseReport report) throws IOException {
    post(pass, "report", report);
  }

  @Override
  public void intent(String pass, LeaseIntent intent) throws IOException {
    post(pass, "intent", intent);
  }

  @Override
  public LeaseOpened open(String pass, LeaseOpen open) throws IOException {
    return JSON.readValue(post(pass, "open", open, OPENING_SECONDS).body(), LeaseOpened.class);
  }

  @Override
  public void done(String pass, LeaseDone done) throws IOException {
    post(pass, "done", done);
  }

  @Override
  public void failed(String pass, LeaseFailed failed) throws IOException {
    post(pass, "failed", failed);
  }

  private void post(String pass, String verb, Object body) throws IOException {
    post(pass, verb, body, 30);
  }

  private HttpResponse<byte[]> post(String pass, String verb, Object body, int seconds)
      throws IOException {
    return send("/" + pass + "/" + verb, JSON.writeValueAsBytes(body), pass, seconds);
  }

  private HttpResponse<byte[]> send(String path, byte[] body, String pass, int seconds)
      throws IOException {
    HttpRequest request =
        HttpRequest.newBuilder(service.resolve("/api/v1/leases" + path))
            .timeout(Duration.ofSeconds(seconds))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", "application/json")
            .POST(HttpRequest.BodyPublishers.ofByteArray(body))
            .build();
    CompletableFuture<HttpResponse<byte[]>> answer =
        http.sendAsync(request, HttpResponse.BodyHandlers.ofByteArray());
    try {
      // The request's own limit ends with the answer's head.
      HttpResponse<byte[]> response = answer.get(seconds, TimeUnit.SECONDS);
      if (response.statusCode() == 409 || response.statusCode() == 404) {
        throw new LeaseLostException(pass);
      }
      if (response.statusCode() >= 300) {
        String answered =
            request.method()
                + " "
                + request.uri().getPath()
                + " was answered with status "
                + response.statusCode()
                + said(response.body());
        throw response.statusCode() == 422
            ? new RefusedException(answered)
            : new IOException(answered);
      }
      return response;
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    } catch (TimeoutException e) {
      answer.cancel(true);
      throw new HttpTimeoutException("no whole answer in " + seconds + " s");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /** What the service says of a failure, and what to do; where it says nothing, so. */
  private static String said(byte[] body) {
    try {
      Problem problem = JSON.readValue(body, Problem.class);
      return ": " + problem.detail() + "; " + problem.remedy().words();
    } catch (IOException e) {
      String text = new String(body, StandardCharsets.UTF_8).strip();
      return text.isEmpty()
          ? " and no words; see the service's log"
          : ": " + text.substring(0, Math.min(text.length(), 500));
    }
  }
}
