package bargelane.api;

import java.io.IOException;
import java.io.InputStream;
import java.net.Socket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.MessageDigest;
import java.security.cert.Certificate;
import java.security.cert.CertificateException;
import java.security.cert.CertificateFactory;
import java.security.cert.X509Certificate;
import java.util.HexFormat;
import java.util.Locale;
import java.util.Optional;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLEngine;
import javax.net.ssl.TrustManager;
import javax.net.ssl.TrustManagerFactory;
import javax.net.ssl.X509ExtendedTrustManager;
import org.jspecify.annotations.Nullable;

/**
 * Whom a program takes for its service: whoever shows the certificate with a known fingerprint, or
 * one for the service's name that an authority signed. A fingerprint is the SHA-256 of the whole
 * certificate (DER), hexadecimal.
 */
public final class Trust {

  private static final int HEX = 64;

  /** The certificate that was shown is not to be trusted. */
  public static final class UntrustedException extends CertificateException {
    private static final long serialVersionUID = 1;
    private final String shown;
    private final @Nullable String expected;

    UntrustedException(String shown, @Nullable String expected, String reason) {
      super(reason);
      this.shown = shown;
      this.expected = expected;
    }

    /** The fingerprint of the certificate that was shown. */
    public String shown() {
      return shown;
    }

    /** The fingerprint that was expected; empty where an authority is. */
    public Optional<String> expected() {
      return Optional.ofNullable(expected);
    }
  }

  private final SSLContext context;

  private Trust(TrustManager manager) throws GeneralSecurityException {
    context = SSLContext.getInstance("TLS");
    context.init(null, new TrustManager[] {manager}, null);
  }

  /**
   * Whoever shows the certificate with this fingerprint, whatever its name and dates.
   *
   * @throws IllegalArgumentException unless it is 64 hexadecimal digits; colons and spaces between
   *     them do not matter
   */
  public static Trust pinned(String fingerprint) {
    String plain = fingerprint.replaceAll("[:\\s]", "").toLowerCase(Locale.ROOT);
    if (!plain.matches("[0-9a-f]{" + HEX + "}")) {
      throw new IllegalArgumentException(
          "'" + fingerprint + "' is not a fingerprint: it has " + HEX + " hexadecimal digits");
    }
    try {
      return new Trust(new Pinned(plain));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has TLS", e);
    }
  }

  /** Whoever shows a certificate for its name that an authority of this system signed. */
  public static Trust system() {
    try {
      return new Trust(new Signed(managerOf(null)));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("this system's authorities can't be read", e);
    }
  }

  /**
   * Whoever shows a certificate for its name that one of these authorities signed.
   *
   * @param file certificates of authorities (PEM)
   * @throws IOException if it can't be read or holds none
   */
  public static Trust authority(Path file) throws IOException {
    try (InputStream in = Files.newInputStream(file)) {
      return authority(in, "the file " + file);
    }
  }

  /**
   * The same, of certificates (PEM) from elsewhere.
   *
   * @param what what they are read from, for messages
   */
  public static Trust authority(InputStream in, String what) throws IOException {
    try {
      KeyStore store = KeyStore.getInstance(KeyStore.getDefaultType());
      store.load(null, null);
      int n = 0;
      for (Certificate c : CertificateFactory.getInstance("X.509").generateCertificates(in)) {
        store.setCertificateEntry("authority-" + n++, c);
      }
      if (n == 0) {
        throw new IOException(what + " holds no certificate");
      }
      return new Trust(new Signed(managerOf(store)));
    } catch (GeneralSecurityException e) {
      throw new IOException(what + " holds no certificates: " + e.getMessage(), e);
    }
  }

  /** For connections to the service. */
  public SSLContext context() {
    return context;
  }

  /** Why a connection was not made, if it is for its certificate. */
  public static Optional<UntrustedException> reason(Throwable failure) {
    for (Throwable t = failure; t != null; t = t.getCause()) {
      if (t instanceof UntrustedException u) {
        return Optional.of(u);
      }
    }
    return Optional.empty();
  }

  /** The fingerprint of a certificate. */
  public static String fingerprint(X509Certificate certificate) throws CertificateException {
    try {
      return HexFormat.of()
          .formatHex(MessageDigest.getInstance("SHA-256").digest(certificate.getEncoded()));
    } catch (GeneralSecurityException e) {
      throw new CertificateException(e);
    }
  }

  private static X509ExtendedTrustManager managerOf(@Nullable KeyStore authorities)
      throws GeneralSecurityException {
    TrustManagerFactory factory =
        TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
    factory.init(authorities);
    for (TrustManager m : factory.getTrustManagers()) {
      if (m instanceof X509ExtendedTrustManager x) {
        return x;
      }
    }
    throw new GeneralSecurityException("there is no trust manager for X.509");
  }

  /** What both kinds are: a client's, and asked about a server in one of three ways. */
  private abstract static class Manager extends X509ExtendedTrustManager {

    abstract void check(X509Certificate[] chain, String type, @Nullable Object peer)
        throws CertificateException;

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      check(chain, type, null);
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type, Socket peer)
        throws CertificateException {
      check(chain, type, peer);
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type, SSLEngine peer)
        throws CertificateException {
      check(chain, type, peer);
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      throw new CertificateException("this side is a client only");
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type, Socket peer)
        throws CertificateException {
      checkClientTrusted(chain, type);
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type, SSLEngine peer)
        throws CertificateException {
      checkClientTrusted(chain, type);
    }

    @Override
    public X509Certificate[] getAcceptedIssuers() {
      return new X509Certificate[0];
    }
  }

  private static final class Pinned extends Manager {
    private final String fingerprint;

    Pinned(String fingerprint) {
      this.fingerprint = fingerprint;
    }

    @Override
    void check(X509Certificate[] chain, String type, @Nullable Object peer)
        throws CertificateException {
      String shown = fingerprint(chain[0]);
      if (!shown.equals(fingerprint)) {
        throw new UntrustedException(shown, fingerprint, "the certificate is another one");
      }
    }
  }

  private static final class Signed extends Manager {
    private final X509ExtendedTrustManager authorities;

    Signed(X509ExtendedTrustManager authorities) {
      this.authorities = authorities;
    }

    @Override
    void check(X509Certificate[] chain, String type, @Nullable Object peer)
        throws CertificateException {
      try {
        if (peer instanceof SSLEngine engine) {
          authorities.checkServerTrusted(chain, type, engine);
        } else if (peer instanceof Socket socket) {
          authorities.checkServerTrusted(chain, type, socket);
        } else {
          // Nobody to check the name against.
          throw new CertificateException("it can't be told whose certificate this should be");
        }
      } catch (CertificateException e) {
        String reason = String.valueOf(e.getMessage());
        throw new UntrustedException(
            fingerprint(chain[0]),
            null,
            reason.contains("unable to find valid certification path")
                ? "no authority that is known here signed it"
                : reason);
      }
    }
  }
}
