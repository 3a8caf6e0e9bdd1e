package bargelane.blocks.nbd;

import java.io.IOException;
import java.net.Socket;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.util.HexFormat;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLSocket;
import javax.net.ssl.TrustManager;
import javax.net.ssl.X509TrustManager;

/** TLS layers over an NBD connection after NBD_OPT_STARTTLS. */
final class Tls {

  private Tls() {}

  /** Client side: trusts exactly the certificate with the given SHA-256. */
  static Socket client(Socket plain, String fingerprint) throws IOException {
    try {
      SSLContext context = SSLContext.getInstance("TLSv1.3");
      context.init(null, new TrustManager[] {new Pinned(fingerprint)}, null);
      SSLSocket socket =
          (SSLSocket)
              context
                  .getSocketFactory()
                  .createSocket(
                      plain, plain.getInetAddress().getHostAddress(), plain.getPort(), true);
      socket.startHandshake();
      return socket;
    } catch (GeneralSecurityException e) {
      throw new IOException("TLS is not to be had: " + e.getMessage(), e);
    }
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
