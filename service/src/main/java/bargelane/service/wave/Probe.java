package bargelane.service.wave;

import bargelane.service.db.Json;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.Optional;

/** Asks a machine's service who it is. */
final class Probe {

  private static final HttpClient HTTP =
      HttpClient.newBuilder()
          .version(HttpClient.Version.HTTP_1_1)
          .connectTimeout(Duration.ofSeconds(2))
          .build();

  private Probe() {}

  /** TCP and HTTP to a machine's service; empty if it answered with its own name. */
  static Optional<String> of(Compute compute, String id, String name) {
    Compute.WayIn way = compute.wayIn(id);
    URI uri = URI.create("http://" + way.host() + ":" + way.port() + "/");
    try {
      HttpResponse<byte[]> r =
          HTTP.send(
              HttpRequest.newBuilder(uri).timeout(Duration.ofSeconds(3)).build(),
              HttpResponse.BodyHandlers.ofByteArray());
      String told =
          r.statusCode() == 200 ? Json.MAPPER.readTree(r.body()).path("machine").asText() : "";
      return told.startsWith(name)
          ? Optional.empty()
          : Optional.of(name + " answered status " + r.statusCode() + " as '" + told + "'");
    } catch (IOException e) {
      return Optional.of(name + " does not answer yet: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", "the probe was interrupted", e);
    }
  }
}
