package bargelane.standins;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.math.BigInteger;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.KeyStore;
import java.security.MessageDigest;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
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
 * The self-signed certificate of a disk server, kept in a PKCS #12 file that only its owner can
 * read.
 */
record Certificate(SSLContext context, String fingerprint) {

  private static final char[] NO_PASSWORD = "kept-by-file-mode".toCharArray();

  static Certificate load(Path file, String name) throws IOException {
    try {
      KeyStore keys = KeyStore.getInstance("PKCS12");
      if (Files.exists(file)) {
        try (InputStream in = Files.newInputStream(file)) {
          keys.load(in, NO_PASSWORD);
        }
      } else {
        keys.load(null, null);
        make(keys, name);
        Files.createFile(
            file,
            java.nio.file.attribute.PosixFilePermissions.asFileAttribute(
                java.nio.file.attribute.PosixFilePermissions.fromString("rw-------")));
        try (OutputStream out = Files.newOutputStream(file)) {
          keys.store(out, NO_PASSWORD);
        }
      }
      KeyManagerFactory managers =
          KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
      managers.init(keys, NO_PASSWORD);
      SSLContext context = SSLContext.getInstance("TLSv1.3");
      context.init(managers.getKeyManagers(), null, null);
      byte[] encoded = keys.getCertificate("disk-server").getEncoded();
      return new Certificate(
          context, HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(encoded)));
    } catch (GeneralSecurityException | OperatorCreationException e) {
      throw new IOException(
          "the disk server's certificate " + file + " can't be used: " + e.getMessage(), e);
    }
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
    keys.setKeyEntry(
        "disk-server",
        pair.getPrivate(),
        NO_PASSWORD,
        new java.security.cert.Certificate[] {certificate});
  }
}
