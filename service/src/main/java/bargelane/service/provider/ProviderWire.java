package bargelane.service.provider;

import bargelane.api.Trust;
import com.nimbusds.jose.util.Resource;
import com.nimbusds.jose.util.ResourceRetriever;
import com.nimbusds.oauth2.sdk.http.HTTPRequest;
import com.nimbusds.oauth2.sdk.http.HTTPRequestSender;
import com.nimbusds.oauth2.sdk.http.HTTPResponse;
import com.nimbusds.oauth2.sdk.http.ReadOnlyHTTPRequest;
import com.nimbusds.oauth2.sdk.http.ReadOnlyHTTPResponse;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.URI;
import java.net.URL;
import java.net.http.HttpClient;
import java.net.http.HttpClient.Redirect;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Flow;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;

/**
 * What is said to an identity provider: over TLS only, without following it elsewhere, and with an
 * end to how long and how much it may answer.
 */
final class ProviderWire implements HTTPRequestSender, ResourceRetriever {

  private static final int LONGEST = 1 << 20;
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final HttpClient http;

  /**
   * @param authority who signed its certificate (PEM); empty for this system's authorities
   * @throws IOException if that holds no certificate
   */
  ProviderWire(String authority) throws IOException {
    Trust trust =
        authority.isEmpty()
            ? Trust.system()
            : Trust.authority(
                new ByteArrayInputStream(authority.getBytes(StandardCharsets.UTF_8)),
                "what is given as the authority");
    http =
        HttpClient.newBuilder()
            .connectTimeout(PATIENCE)
            .followRedirects(Redirect.NEVER)
            .sslContext(trust.context())
            .build();
  }

  /** Gets a document. */
  String get(URI from) throws IOException {
    HttpResponse<byte[]> r = exchange(HttpRequest.newBuilder(secure(from)).build());
    if (r.statusCode() != 200) {
      throw new IOException(from + " answers with status " + r.statusCode());
    }
    return new String(r.body(), StandardCharsets.UTF_8);
  }

  @Override
  public Resource retrieveResource(URL url) throws IOException {
    return new Resource(get(URI.create(url.toString())), "application/json");
  }

  @Override
  public ReadOnlyHTTPResponse send(ReadOnlyHTTPRequest asked) throws IOException {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(secure(URI.create(asked.getURL().toString())));
    for (Map.Entry<String, List<String>> h : asked.getHeaderMap().entrySet()) {
      h.getValue().forEach(v -> request.header(h.getKey(), v));
    }
    request.method(
        asked.getMethod().name(),
        asked.getMethod() == HTTPRequest.Method.POST
            ? BodyPublishers.ofString(asked.getBody())
            : BodyPublishers.noBody());
    HttpResponse<byte[]> r = exchange(request.build());
    HTTPResponse told = new HTTPResponse(r.statusCode());
    r.headers()
        .map()
        .forEach((name, values) -> told.setHeader(name, values.toArray(String[]::new)));
    told.setBody(new String(r.body(), StandardCharsets.UTF_8));
    return told;
  }

  private static URI secure(URI to) throws IOException {
    if (!"https".equals(to.getScheme())) {
      throw new IOException(to + " is not reached over TLS");
    }
    return to;
  }

  /** A body that is no longer than an answer may be; what is longer ends the connection. */
  private static final class Bounded implements HttpResponse.BodySubscriber<byte[]> {
    private final CompletableFuture<byte[]> whole = new CompletableFuture<>();
    private final ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    private Flow.Subscription subscription;

    @Override
    public CompletionStage<byte[]> getBody() {
      return whole;
    }

    @Override
    public void onSubscribe(Flow.Subscription from) {
      subscription = from;
      from.request(Long.MAX_VALUE);
    }

    @Override
    public void onNext(List<ByteBuffer> parts) {
      for (ByteBuffer part : parts) {
        if (bytes.size() + part.remaining() > LONGEST) {
          subscription.cancel();
          whole.completeExceptionally(
              new IOException("its answer has more than " + LONGEST + " bytes"));
          return;
        }
        byte[] some = new byte[part.remaining()];
        part.get(some);
        bytes.writeBytes(some);
      }
    }

    @Override
    public void onError(Throwable failure) {
      whole.completeExceptionally(failure);
    }

    @Override
    public void onComplete() {
      whole.complete(bytes.toByteArray());
    }
  }

  private HttpResponse<byte[]> exchange(HttpRequest request) throws IOException {
    CompletableFuture<HttpResponse<byte[]>> asked = http.sendAsync(request, head -> new Bounded());
    try {
      return asked.get(PATIENCE.toMillis(), TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      asked.cancel(true);
      Thread.currentThread().interrupt();
      throw new IOException("the wait for " + request.uri() + " was cut off", e);
    } catch (TimeoutException e) {
      asked.cancel(true);
      throw new IOException(
          request.uri() + " has not answered within " + PATIENCE.toSeconds() + " s", e);
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    }
  }
}
