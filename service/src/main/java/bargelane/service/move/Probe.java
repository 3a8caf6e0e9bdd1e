package bargelane.service.move;

import bargelane.service.platform.Json;
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

  /** Who an answer says it comes from; empty if it does not say so in a way that we know. */
  private static String name(byte[] body) {
    try {
      return Json.MAPPER.readTree(body).path("machine").asText();
    } catch (IOException e) {
      return "";
    }
  }

  /** HTTP to a machine's service; empty if it answered without an error, and not as another. */
  static Optional<String> of(Compute compute, String id, String name) {
    Compute.WayIn way = compute.wayIn(id);
    URI uri = URI.create("http://" + way.host() + ":" + way.port() + "/");
    try {
      HttpResponse<byte[]> r =
          HTTP.send(
              HttpRequest.newBuilder(uri).timeout(Duration.ofSeconds(3)).build(),
              HttpResponse.BodyHandlers.ofByteArray());
      String told = name(r.body());
      return r.statusCode() < 400 && (told.isEmpty() || told.startsWith(name))
          ? Optional.empty()
          : Optional.of(
              name
                  + " answered status "
                  + r.statusCode()
                  + (told.isEmpty() ? "" : " as '" + told + "'"));
    } catch (IOException e) {
      return Optional.of(name + " does not answer yet: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", "the probe was interrupted", e);
    }
  }
}
