package bargelane.blocks.tls;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.math.BigInteger;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.KeyStore;
import java.security.MessageDigest;
import java.security.cert.Certificate;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.Date;
import java.util.HexFormat;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.cert.jcajce.JcaX509CertificateConverter;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;

/**
 * A server's self-signed certificate, kept in a PKCS #12 file that only its owner can read. Who
 * talks to the server is told what to expect, and trusts nothing else.
 *
 * @param fingerprint SHA-256 of the certificate, hexadecimal
 * @param keyPin SHA-256 of its public key (RFC 7469, 2.4), Base64
 */
public record SelfSigned(SSLContext context, String fingerprint, String keyPin) {

  private static final char[] NO_PASSWORD = "kept-by-file-mode".toCharArray();
  private static final String ALIAS = "server";

  /** Reads the certificate from its file, or makes it with a name. */
  public static SelfSigned load(Path file, String name) throws IOException {
    try {
      KeyStore keys = KeyStore.getInstance("PKCS12");
      if (Files.exists(file)) {
        try (InputStream in = Files.newInputStream(file)) {
          keys.load(in, NO_PASSWORD);
        }
      } else {
        keys.load(null, null);
        make(keys, name);
        store(keys, file);
      }
      KeyManagerFactory managers =
          KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
      managers.init(keys, NO_PASSWORD);
      SSLContext context = SSLContext.getInstance("TLSv1.3");
      context.init(managers.getKeyManagers(), null, null);
      Certificate certificate = keys.getCertificate(keys.aliases().nextElement());
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      return new SelfSigned(
          context,
          HexFormat.of().formatHex(sha.digest(certificate.getEncoded())),
          Base64.getEncoder().encodeToString(sha.digest(certificate.getPublicKey().getEncoded())));
    } catch (GeneralSecurityException | OperatorCreationException e) {
      throw new IOException("the certificate " + file + " can't be used: " + e.getMessage(), e);
    }
  }

  /** Whole or not at all: half a file would keep the server from starting. */
  private static void store(KeyStore keys, Path file) throws IOException, GeneralSecurityException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.deleteIfExists(fresh);
    Files.createFile(
        fresh, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    try (OutputStream out = Files.newOutputStream(fresh)) {
      keys.store(out, NO_PASSWORD);
    }
    Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE);
  }

  private static void make(KeyStore keys, String name)
      throws GeneralSecurityException, OperatorCreationException {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
    generator.initialize(256);
    KeyPair pair = generator.generateKeyPair();
    Instant now = Instant.now();
    X500Name subject = new X500Name("CN=" + name.replaceAll("[^A-Za-z0-9 ]", ""));
    X509Certificate certificate =
        new JcaX509CertificateConverter()
            .getCertificate(
                new JcaX509v3CertificateBuilder(
                        subject,
                        BigInteger.valueOf(now.toEpochMilli()),
                        Date.from(now.minus(1, ChronoUnit.DAYS)),
                        Date.from(now.plus(3650, ChronoUnit.DAYS)),
                        subject,
                        pair.getPublic())
                    .build(
                        new JcaContentSignerBuilder("SHA256withECDSA").build(pair.getPrivate())));
    keys.setKeyEntry(ALIAS, pair.getPrivate(), NO_PASSWORD, new Certificate[] {certificate});
  }
}
