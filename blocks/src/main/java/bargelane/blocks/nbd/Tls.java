package bargelane.blocks.nbd;

import java.io.IOException;
import java.net.Socket;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.util.Collections;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.Map;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLSocket;
import javax.net.ssl.TrustManager;
import javax.net.ssl.X509TrustManager;

/** TLS layers over an NBD connection after NBD_OPT_STARTTLS. */
final class Tls {

  /** The contexts of the disk servers that were talked to last, by fingerprint. */
  private static final Map<String, SSLContext> CONTEXTS =
      Collections.synchronizedMap(
          new LinkedHashMap<>(16, 0.75f, true) {
            private static final long serialVersionUID = 1;

            @Override
            protected boolean removeEldestEntry(Map.Entry<String, SSLContext> eldest) {
              return size() > 64;
            }
          });

  private Tls() {}

  /** Client side: trusts exactly the certificate with the given SHA-256. */
  static Socket client(Socket plain, String fingerprint) throws IOException {
    try {
      SSLSocket socket =
          (SSLSocket)
              context(fingerprint)
                  .getSocketFactory()
                  .createSocket(
                      plain, plain.getInetAddress().getHostAddress(), plain.getPort(), true);
      socket.startHandshake();
      return socket;
    } catch (GeneralSecurityException e) {
      throw new IOException("TLS is not to be had: " + e.getMessage(), e);
    }
  }

  /** One context a certificate, so that later connections resume a session (RFC 8446, 2.2). */
  private static SSLContext context(String fingerprint) throws GeneralSecurityException {
    SSLContext known = CONTEXTS.get(fingerprint);
    if (known == null) {
      known = SSLContext.getInstance("TLSv1.3");
      known.init(null, new TrustManager[] {new Pinned(fingerprint)}, null);
      CONTEXTS.put(fingerprint, known);
    }
    return known;
  }

  /** Server side. */
  static Socket server(Socket plain, SSLContext context) throws IOException {
    SSLSocket socket =
        (SSLSocket)
            context
                .getSocketFactory()
                .createSocket(
                    plain, plain.getInetAddress().getHostAddress(), plain.getPort(), true);
    socket.setUseClientMode(false);
    socket.startHandshake();
    return socket;
  }

  private record Pinned(String fingerprint) implements X509TrustManager {
    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      try {
        String seen =
            HexFormat.of()
                .formatHex(MessageDigest.getInstance("SHA-256").digest(chain[0].getEncoded()));
        if (!seen.equalsIgnoreCase(fingerprint)) {
          throw new CertificateException(
              "the disk server shows a certificate with fingerprint "
                  + seen
                  + ", not "
                  + fingerprint);
        }
      } catch (GeneralSecurityException e) {
        throw new CertificateException(e.getMessage(), e);
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
