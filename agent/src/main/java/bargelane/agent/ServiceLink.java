package bargelane.agent;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.util.Base64;
import java.util.HexFormat;
import javax.net.ssl.HttpsURLConnection;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManager;
import javax.net.ssl.X509TrustManager;

/**
 * Talks to the service over TLS, and to no other: the public key of its certificate must be the one
 * whose digest we were given (RFC 7469, 2.4). Neither names nor dates count, so that a wrong clock
 * here keeps nothing from being told.
 */
final class ServiceLink {

  private static final int CONNECT_MILLIS = 10_000;
  private static final int READ_MILLIS = 60_000;
  private static final int LONGEST_ANSWER = 1 << 16;

  /** The service is there and does not want us: trying again will not help. */
  static final class RefusedException extends IOException {
    private static final long serialVersionUID = 1;

    RefusedException(String message) {
      super(message);
    }
  }

  private final Identity identity;
  private final SSLContext context;

  ServiceLink(Identity identity) throws IOException {
    this.identity = identity;
    try {
      context = SSLContext.getInstance("TLSv1.3");
      context.init(null, new TrustManager[] {new Pinned(identity.pin())}, null);
    } catch (GeneralSecurityException e) {
      throw new IOException("TLS is not to be had: " + e.getMessage(), e);
    }
  }

  /** Makes this agent known; gives its id. */
  String enrol(String key, String hostname) throws IOException {
    String body =
        "format: bargelane/enrol/1\nkey "
            + key
            + "\ntoken-digest "
            + digest(identity.token())
            + "\nversion "
            + Agent.VERSION
            + "\nhost "
            + hostname
            + "\n";
    String answer = post("/enrol", "", body);
    for (String line : answer.lines().toList()) {
      if (line.startsWith("agent ")) {
        return line.substring(6).strip();
      }
    }
    throw new IOException("the service's answer names no agent: " + answer.strip());
  }

  /** Sends a report; gives the service's answer. */
  String report(String body) throws IOException {
    return post("/report", identity.token(), body);
  }

  private static String digest(String token) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(token.getBytes(StandardCharsets.UTF_8)));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  private String post(String path, String token, String body) throws IOException {
    URI to = identity.service().resolve(path);
    HttpsURLConnection c = (HttpsURLConnection) to.toURL().openConnection();
    c.setSSLSocketFactory(context.getSocketFactory());
    c.setHostnameVerifier((host, session) -> true);
    c.setConnectTimeout(CONNECT_MILLIS);
    c.setReadTimeout(READ_MILLIS);
    c.setInstanceFollowRedirects(false);
    c.setRequestMethod("POST");
    c.setRequestProperty("Content-Type", "text/plain; charset=utf-8");
    if (!token.isEmpty()) {
      c.setRequestProperty("Authorization", "Bearer " + token);
    }
    byte[] bytes = body.getBytes(StandardCharsets.UTF_8);
    c.setDoOutput(true);
    c.setFixedLengthStreamingMode(bytes.length);
    try {
      try (OutputStream out = c.getOutputStream()) {
        out.write(bytes);
      }
      int status = c.getResponseCode();
      String answer;
      try (InputStream in = status < 400 ? c.getInputStream() : c.getErrorStream()) {
        answer =
            in == null ? "" : new String(in.readNBytes(LONGEST_ANSWER), StandardCharsets.UTF_8);
      }
      if (status == 200) {
        return answer;
      }
      String said = "the service says " + status + ": " + answer.strip();
      if (status == 401 || status == 403 || status == 409 || status == 410) {
        throw new RefusedException(said);
      }
      throw new IOException(said);
    } finally {
      c.disconnect();
    }
  }

  private record Pinned(String pin) implements X509TrustManager {
    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      try {
        String seen =
            Base64.getEncoder()
                .encodeToString(
                    MessageDigest.getInstance("SHA-256")
                        .digest(chain[0].getPublicKey().getEncoded()));
        if (!seen.equals(pin)) {
          throw new CertificateException(
              "who answers there is no our service: its key is " + seen + ", not " + pin);
        }
      } catch (GeneralSecurityException e) {
        throw e instanceof CertificateException known ? known : new CertificateException(e);
      }
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      throw new CertificateException("this side is a client only");
    }

    @Override
    public X509Certificate[] getAcceptedIssuers() {
      return new X509Certificate[0];
    }
  }
}
