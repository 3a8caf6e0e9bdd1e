package bargelane.blocks.nbd;

import bargelane.blocks.tls.ServerKeys;
import java.io.IOException;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.util.Collections;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLEngine;
import javax.net.ssl.SSLPeerUnverifiedException;
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

  /** The suites of RFC 8446, the quickest first. */
  private static final List<String> SUITES =
      List.of("TLS_AES_128_GCM_SHA256", "TLS_AES_256_GCM_SHA384", "TLS_CHACHA20_POLY1305_SHA256");

  private Tls() {}

  /** Client side: trusts exactly the certificate with the given SHA-256. */
  static SSLEngine client(NbdAddress.Tls address) throws IOException {
    try {
      SSLEngine engine =
          context(address.fingerprint()).createSSLEngine(address.host(), address.port());
      engine.setUseClientMode(true);
      return quickestFirst(engine);
    } catch (GeneralSecurityException e) {
      throw new IOException("TLS is not to be had: " + e.getMessage(), e);
    }
  }

  /** One context a certificate, so that later connections resume a session (RFC 8446, 2.2). */
  private static SSLContext context(String fingerprint) throws GeneralSecurityException {
    SSLContext known = CONTEXTS.get(fingerprint);
    if (known == null) {
      known = ServerKeys.own().context(new Pinned(fingerprint));
      CONTEXTS.put(fingerprint, known);
    }
    return known;
  }

  /** A disk server's keys; clients are known by the fingerprints of what they show. */
  static SSLContext ofServer(ServerKeys keys) {
    return keys.context(new Anybody());
  }

  /** Server side: a client may show a certificate, which proves that it has its key. */
  static SSLEngine server(SSLContext context) {
    SSLEngine engine = context.createSSLEngine();
    engine.setUseClientMode(false);
    engine.setWantClientAuth(true);
    return quickestFirst(engine);
  }

  private static SSLEngine quickestFirst(SSLEngine engine) {
    Set<String> known = Set.of(engine.getSupportedCipherSuites());
    engine.setEnabledCipherSuites(SUITES.stream().filter(known::contains).toArray(String[]::new));
    return engine;
  }

  /** The fingerprint of what a peer has shown; empty if it showed nothing. */
  static String shown(SSLEngine engine) {
    try {
      return digest((X509Certificate) engine.getSession().getPeerCertificates()[0]);
    } catch (SSLPeerUnverifiedException e) {
      return "";
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }

  private static String digest(X509Certificate certificate) throws GeneralSecurityException {
    return HexFormat.of()
        .formatHex(MessageDigest.getInstance("SHA-256").digest(certificate.getEncoded()));
  }

  /** Takes whatever a client shows: an export says whose it is for. */
  private record Anybody() implements X509TrustManager {
    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type) {
      // The handshake proves that the client has the key; who that is an export decides.
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      throw new CertificateException("this side is a server only");
    }

    @Override
    public X509Certificate[] getAcceptedIssuers() {
      return new X509Certificate[0];
    }
  }

  private record Pinned(String fingerprint) implements X509TrustManager {
    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      try {
        String seen = digest(chain[0]);
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
