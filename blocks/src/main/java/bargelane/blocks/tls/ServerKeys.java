package bargelane.blocks.tls;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.Reader;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.KeyStore;
import java.security.MessageDigest;
import java.security.PrivateKey;
import java.security.SecureRandom;
import java.security.Signature;
import java.security.cert.Certificate;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Date;
import java.util.HexFormat;
import java.util.List;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManager;
import org.bouncycastle.asn1.pkcs.PrivateKeyInfo;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.asn1.x509.Extension;
import org.bouncycastle.asn1.x509.GeneralName;
import org.bouncycastle.asn1.x509.GeneralNames;
import org.bouncycastle.cert.X509CertificateHolder;
import org.bouncycastle.cert.X509v3CertificateBuilder;
import org.bouncycastle.cert.jcajce.JcaX509CertificateConverter;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.openssl.PEMEncryptedKeyPair;
import org.bouncycastle.openssl.PEMKeyPair;
import org.bouncycastle.openssl.PEMParser;
import org.bouncycastle.openssl.jcajce.JcaPEMKeyConverter;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;
import org.bouncycastle.pkcs.PKCS8EncryptedPrivateKeyInfo;

/** A server's private key and the certificate that it shows, with those that signed it. */
public final class ServerKeys {

  /** What a key store in memory, or a file that only its owner can read, is opened with. */
  public static final String NO_PASSWORD = "kept-by-file-mode";

  private static final String ALIAS = "server";

  /** A self-made certificate lasts this long. */
  private static final int DAYS = 3650;

  private final KeyStore store;
  private final X509Certificate certificate;

  private ServerKeys(KeyStore store) throws GeneralSecurityException {
    this.store = store;
    this.certificate = (X509Certificate) store.getCertificate(store.aliases().nextElement());
  }

  /**
   * Reads a self-signed certificate and its key from a PKCS #12 file (RFC 7292) that only its owner
   * can read, or makes them. Who talks to the server is told its fingerprint, and trusts nothing
   * else.
   *
   * @param name common name
   * @param hosts names and addresses that it is for
   */
  public static ServerKeys selfMade(Path file, String name, List<String> hosts) throws IOException {
    try {
      KeyStore keys = KeyStore.getInstance("PKCS12");
      if (Files.exists(file)) {
        try (InputStream in = Files.newInputStream(file)) {
          keys.load(in, NO_PASSWORD.toCharArray());
        }
      } else {
        keys.load(null, null);
        make(keys, name, hosts);
        keep(keys, file);
      }
      return new ServerKeys(keys);
    } catch (GeneralSecurityException | OperatorCreationException e) {
      throw new IOException("the certificate " + file + " can't be used: " + e.getMessage(), e);
    }
  }

  /** What this process shows to disk servers: made when it is first needed, and gone with it. */
  public static ServerKeys own() {
    return Own.KEYS;
  }

  private static final class Own {
    private static final ServerKeys KEYS = make();

    private static ServerKeys make() {
      try {
        KeyStore keys = KeyStore.getInstance("PKCS12");
        keys.load(null, null);
        ServerKeys.make(keys, "Barge Lane", List.of());
        return new ServerKeys(keys);
      } catch (GeneralSecurityException | OperatorCreationException | IOException e) {
        throw new IllegalStateException("every Java platform has EC keys", e);
      }
    }
  }

  /**
   * Reads a certificate and its key from PEM files (RFC 7468).
   *
   * @param certificates the server's certificate first, then those that signed it, in order
   * @param key its private key without a passphrase: PKCS #8, or the older forms of RSA and EC keys
   * @throws IOException naming the file, if one can't be read or the two do not belong together
   */
  public static ServerKeys ofFiles(Path certificates, Path key) throws IOException {
    List<Certificate> chain = new ArrayList<>();
    try {
      for (Object o : pem(certificates)) {
        if (o instanceof X509CertificateHolder holder) {
          chain.add(new JcaX509CertificateConverter().getCertificate(holder));
        }
      }
      if (chain.isEmpty()) {
        throw new IOException("the file " + certificates + " holds no certificate (PEM)");
      }
      PrivateKey secret = secretOf(key);
      if (!together((X509Certificate) chain.get(0), secret)) {
        throw new IOException(
            "the key in "
                + key
                + " is not that of the first certificate in "
                + certificates
                + ": give the two that belong together");
      }
      KeyStore keys = KeyStore.getInstance("PKCS12");
      keys.load(null, null);
      keys.setKeyEntry(ALIAS, secret, NO_PASSWORD.toCharArray(), chain.toArray(new Certificate[0]));
      return new ServerKeys(keys);
    } catch (GeneralSecurityException e) {
      throw new IOException(
          "the certificate of "
              + certificates
              + " and "
              + key
              + " can't be used: "
              + e.getMessage(),
          e);
    }
  }

  private static PrivateKey secretOf(Path file) throws IOException {
    JcaPEMKeyConverter converter = new JcaPEMKeyConverter();
    for (Object o : pem(file)) {
      if (o instanceof PEMKeyPair pair) {
        return converter.getPrivateKey(pair.getPrivateKeyInfo());
      }
      if (o instanceof PrivateKeyInfo info) {
        return converter.getPrivateKey(info);
      }
      if (o instanceof PKCS8EncryptedPrivateKeyInfo || o instanceof PEMEncryptedKeyPair) {
        throw new IOException(
            "the key in " + file + " needs a passphrase: give a file without one, mode 600");
      }
    }
    throw new IOException("the file " + file + " holds no private key (PEM)");
  }

  private static List<Object> pem(Path file) throws IOException {
    List<Object> found = new ArrayList<>();
    try (Reader reader = Files.newBufferedReader(file, StandardCharsets.ISO_8859_1);
        PEMParser parser = new PEMParser(reader)) {
      for (Object o = parser.readObject(); o != null; o = parser.readObject()) {
        found.add(o);
      }
    } catch (java.nio.file.NoSuchFileException e) {
      throw new IOException("there is no file " + file, e);
    } catch (IOException | RuntimeException e) {
      throw new IOException("the file " + file + " can't be read: " + e.getMessage(), e);
    }
    return found;
  }

  /** Whether what the key signs is what the certificate's key checks. */
  private static boolean together(X509Certificate certificate, PrivateKey key)
      throws GeneralSecurityException {
    String kind = key.getAlgorithm();
    if (!kind.equals(certificate.getPublicKey().getAlgorithm())) {
      return false;
    }
    Signature signature =
        Signature.getInstance(
            kind.equals("EC")
                ? "SHA256withECDSA"
                : kind.startsWith("Ed") ? "EdDSA" : "SHA256with" + kind);
    signature.initSign(key);
    byte[] words = "which key is this".getBytes(StandardCharsets.US_ASCII);
    signature.update(words);
    byte[] signed = signature.sign();
    signature.initVerify(certificate.getPublicKey());
    signature.update(words);
    return signature.verify(signed);
  }

  /** Whole or not at all: half a file would keep the server from starting. */
  private static void keep(KeyStore keys, Path file) throws IOException, GeneralSecurityException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.deleteIfExists(fresh);
    Files.createFile(
        fresh, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    try (OutputStream out = Files.newOutputStream(fresh)) {
      keys.store(out, NO_PASSWORD.toCharArray());
    }
    Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE);
  }

  private static void make(KeyStore keys, String name, List<String> hosts)
      throws GeneralSecurityException, OperatorCreationException, IOException {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
    generator.initialize(256);
    KeyPair pair = generator.generateKeyPair();
    Instant now = Instant.now();
    X500Name subject = new X500Name("CN=" + name.replaceAll("[^A-Za-z0-9 ]", ""));
    X509v3CertificateBuilder builder =
        new JcaX509v3CertificateBuilder(
            subject,
            new BigInteger(64, new SecureRandom()).setBit(63),
            Date.from(now.minus(1, ChronoUnit.DAYS)),
            Date.from(now.plus(DAYS, ChronoUnit.DAYS)),
            subject,
            pair.getPublic());
    if (!hosts.isEmpty()) {
      builder.addExtension(
          Extension.subjectAlternativeName,
          false,
          new GeneralNames(
              hosts.stream()
                  .map(
                      h ->
                          new GeneralName(
                              h.matches("[0-9]{1,3}([.][0-9]{1,3}){3}|.*:.*")
                                  ? GeneralName.iPAddress
                                  : GeneralName.dNSName,
                              h))
                  .toArray(GeneralName[]::new)));
    }
    X509Certificate certificate =
        new JcaX509CertificateConverter()
            .getCertificate(
                builder.build(
                    new JcaContentSignerBuilder("SHA256withECDSA").build(pair.getPrivate())));
    keys.setKeyEntry(
        ALIAS, pair.getPrivate(), NO_PASSWORD.toCharArray(), new Certificate[] {certificate});
  }

  /** The key and its certificates, opened with {@link #NO_PASSWORD}. */
  public KeyStore store() {
    return store;
  }

  /** The server's own certificate. */
  public X509Certificate certificate() {
    return certificate;
  }

  /** For connections of TLS 1.3. */
  public SSLContext context() {
    return context(null);
  }

  /**
   * The same.
   *
   * @param peers says whose certificates are trusted; null for those of this system's authorities
   */
  public SSLContext context(TrustManager peers) {
    try {
      KeyManagerFactory managers =
          KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
      managers.init(store, NO_PASSWORD.toCharArray());
      SSLContext context = SSLContext.getInstance("TLSv1.3");
      context.init(
          managers.getKeyManagers(), peers == null ? null : new TrustManager[] {peers}, null);
      return context;
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has TLS 1.3", e);
    }
  }

  /** SHA-256 of the certificate, hexadecimal. */
  public String fingerprint() {
    try {
      return HexFormat.of().formatHex(sha256(certificate.getEncoded()));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  /** SHA-256 of the certificate's public key (RFC 7469, 2.4), Base64. */
  public String keyPin() {
    try {
      return Base64.getEncoder().encodeToString(sha256(certificate.getPublicKey().getEncoded()));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  /** The certificate in PEM (RFC 7468). */
  public String pem() {
    try {
      return "-----BEGIN CERTIFICATE-----\n"
          + Base64.getMimeEncoder(64, new byte[] {'\n'}).encodeToString(certificate.getEncoded())
          + "\n-----END CERTIFICATE-----\n";
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  private static byte[] sha256(byte[] bytes) throws GeneralSecurityException {
    return MessageDigest.getInstance("SHA-256").digest(bytes);
  }
}
