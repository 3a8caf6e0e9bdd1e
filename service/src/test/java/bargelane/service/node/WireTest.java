package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Trust;
import java.io.IOException;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.net.ssl.SSLException;
import javax.net.ssl.SSLSocket;
import org.junit.jupiter.api.Test;

/** How the service is spoken to: over TLS, with a certificate that is known. */
class WireTest extends Served {

  private static HttpClient trusting(Trust whom) {
    return HttpClient.newBuilder().sslContext(whom.context()).build();
  }

  private static HttpResponse<String> health(HttpClient client, String address) throws Exception {
    return client.send(
        HttpRequest.newBuilder(URI.create(address + "/api/v1/health")).build(),
        BodyHandlers.ofString());
  }

  @Test
  void nothingIsAnsweredInTheClear() throws Exception {
    String plain = node.address().replace("https:", "http:");
    HttpClient anyone = HttpClient.newHttpClient();
    HttpResponse<String> api =
        anyone.send(
            HttpRequest.newBuilder(URI.create(plain + "/api/v1/machines"))
                .header("Authorization", "Bearer " + owner)
                .build(),
            BodyHandlers.ofString());
    assertEquals(400, api.statusCode());
    assertEquals("not-secure", code(api));
    HttpResponse<String> page =
        anyone.send(
            HttpRequest.newBuilder(URI.create(plain + "/waves/lending")).build(),
            BodyHandlers.ofString());
    assertEquals(308, page.statusCode());
    assertEquals(
        node.address() + "/waves/lending", page.headers().firstValue("Location").orElseThrow());
  }

  @Test
  void oldVersionsAndWeakSuitesAreRefused() throws Exception {
    URI at = URI.create(node.address());
    for (String version : List.of("TLSv1.3", "TLSv1.2")) {
      try (SSLSocket s = to(at)) {
        s.setEnabledProtocols(new String[] {version});
        s.startHandshake();
        assertEquals(version, s.getSession().getProtocol());
        assertTrue(s.getSession().getCipherSuite().matches(".*(GCM|CHACHA20).*"));
      }
    }
    try (SSLSocket s = to(at)) {
      s.setEnabledProtocols(new String[] {"TLSv1.2"});
      s.setEnabledCipherSuites(new String[] {"TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA256"});
      assertThrows(SSLException.class, s::startHandshake);
    }
  }

  private static SSLSocket to(URI at) throws IOException {
    return (SSLSocket) trust.context().getSocketFactory().createSocket(at.getHost(), at.getPort());
  }

  @Test
  void aClientTakesNobodyElseForTheService() throws Exception {
    HttpResponse<String> known = health(http, node.address());
    assertEquals(200, known.statusCode());
    assertEquals(
        "max-age=31536000", known.headers().firstValue("Strict-Transport-Security").orElse(""));
    Trust other = Trust.pinned("ab:".repeat(31) + "ab");
    IOException refused =
        assertThrows(IOException.class, () -> health(trusting(other), node.address()));
    Trust.UntrustedException why = Trust.reason(refused).orElseThrow();
    assertEquals(Files.readString(home.resolve("fingerprint")).strip(), why.shown());
    assertEquals("ab".repeat(32), why.expected().orElseThrow());
    IOException stranger =
        assertThrows(IOException.class, () -> health(trusting(Trust.system()), node.address()));
    assertTrue(Trust.reason(stranger).orElseThrow().expected().isEmpty());
    // Where its certificate is handed out as an authority, its names count.
    Trust handed = Trust.authority(home.resolve("certificate.pem"));
    assertEquals(200, health(trusting(handed), node.address()).statusCode());
    assertEquals(
        200,
        health(trusting(handed), node.address().replace("127.0.0.1", "localhost")).statusCode());
  }

  @Test
  void aSessionsCookieIsForTlsAlone() throws Exception {
    String signIn = Files.readString(home.resolve("sign-in"));
    HttpResponse<String> r =
        call(
            "POST",
            "/sign-in",
            "",
            Map.of(
                "account",
                "engineer",
                "password",
                signIn.substring(signIn.indexOf("password: ") + 10).strip()));
    assertEquals(200, r.statusCode(), r.body());
    String cookie = r.headers().firstValue("Set-Cookie").orElseThrow();
    for (String part : List.of("Secure", "HttpOnly", "SameSite=Strict")) {
      assertTrue(cookie.contains(part), cookie);
    }
  }

  @Test
  void connectionsThatNeverSayAnythingHoldNobodyUp() throws Exception {
    List<Socket> silent = new ArrayList<>();
    try {
      URI at = URI.create(node.address());
      for (int i = 0; i < 200; i++) {
        silent.add(new Socket(at.getHost(), at.getPort()));
        if (i % 2 == 0) {
          // The first bytes of a handshake that is not gone on with.
          silent.get(i).getOutputStream().write(new byte[] {0x16, 3, 1, 2, 0, 1});
        }
      }
      assertEquals(200, call("GET", "/health", "", null).statusCode());
    } finally {
      for (Socket s : silent) {
        s.close();
      }
    }
  }
}
