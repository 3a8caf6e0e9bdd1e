package bargelane.standins.provider;

import bargelane.blocks.tls.ServerKeys;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.nimbusds.jose.JOSEException;
import com.nimbusds.jose.JWSAlgorithm;
import com.nimbusds.jose.JWSHeader;
import com.nimbusds.jose.crypto.RSASSASigner;
import com.nimbusds.jose.jwk.JWKSet;
import com.nimbusds.jose.jwk.RSAKey;
import com.nimbusds.jose.jwk.gen.RSAKeyGenerator;
import com.nimbusds.jwt.JWTClaimsSet;
import com.nimbusds.jwt.SignedJWT;
import io.javalin.Javalin;
import io.javalin.config.RoutesConfig;
import io.javalin.http.Context;
import java.io.Closeable;
import java.io.IOException;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.Date;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.UnaryOperator;
import java.util.regex.Pattern;
import org.eclipse.jetty.server.HttpConfiguration;
import org.eclipse.jetty.server.HttpConnectionFactory;
import org.eclipse.jetty.server.SecureRequestCustomizer;
import org.eclipse.jetty.server.ServerConnector;
import org.eclipse.jetty.server.SslConnectionFactory;
import org.eclipse.jetty.util.ssl.SslContextFactory;

/**
 * A small identity provider on loopback, with made-up people who need no password: OpenID Connect
 * Core 1.0 (section 3.1, code flow) with PKCE (RFC 7636, S256 only), for one client.
 */
public final class IdentityProvider implements Closeable {

  private static final ObjectMapper JSON = new ObjectMapper();
  private static final Duration CODE_LIFE = Duration.ofMinutes(1);
  private static final Duration TOKEN_LIFE = Duration.ofMinutes(5);

  /** Somebody who may sign in. */
  public record Person(String name, List<String> groups) {
    /** Who it is for good, whatever it is called. */
    public String subject() {
      return "person-" + name;
    }
  }

  /**
   * The service that sends people here.
   *
   * @param redirect where they are sent back to; with port 0, that address on any port of loopback
   */
  public record Client(String id, String secret, String redirect) {
    boolean knows(String asked) {
      String any = "https://127.0.0.1:0";
      return redirect.startsWith(any)
          ? asked.matches(
              "https://127\\.0\\.0\\.1:[0-9]{1,5}"
                  + Pattern.quote(redirect.substring(any.length())))
          : redirect.equals(asked);
    }
  }

  private record Code(
      Person person, String challenge, String nonce, String redirect, Instant until) {}

  private final Map<String, Person> people = new LinkedHashMap<>();
  private final Map<String, Code> codes = new ConcurrentHashMap<>();
  private final Map<String, Person> access = new ConcurrentHashMap<>();
  private final List<RSAKey> keys = new CopyOnWriteArrayList<>();
  private final SecureRandom random = new SecureRandom();
  private final ServerKeys certificate;
  private final Javalin http;
  private volatile Client client;
  private volatile boolean groupsApart;
  private volatile UnaryOperator<JWTClaimsSet.Builder> lie = UnaryOperator.identity();

  /**
   * Starts.
   *
   * @param home where its certificate is kept
   * @param port 0 for a free one
   */
  public IdentityProvider(Path home, int port, List<Person> people) throws IOException {
    Files.createDirectories(home);
    people.forEach(p -> this.people.put(p.name(), p));
    this.certificate =
        ServerKeys.selfMade(
            home.resolve("provider.p12"), "Harbour Office", List.of("127.0.0.1", "localhost"));
    rotate();
    this.http =
        Javalin.create(
                config -> {
                  config.startup.showJavalinBanner = false;
                  config.jetty.addConnector(
                      (server, plain) -> {
                        SslContextFactory.Server ssl = new SslContextFactory.Server();
                        ssl.setKeyStore(certificate.store());
                        ssl.setKeyStorePassword(ServerKeys.NO_PASSWORD);
                        ssl.setKeyManagerPassword(ServerKeys.NO_PASSWORD);
                        HttpConfiguration secure = new HttpConfiguration(plain);
                        SecureRequestCustomizer known = new SecureRequestCustomizer();
                        known.setSniHostCheck(false);
                        secure.addCustomizer(known);
                        ServerConnector connector =
                            new ServerConnector(
                                server,
                                new SslConnectionFactory(ssl, "http/1.1"),
                                new HttpConnectionFactory(secure));
                        connector.setHost("127.0.0.1");
                        connector.setPort(port);
                        return connector;
                      });
                  routes(config.routes);
                })
            .start();
  }

  /** Its address, which is the name that it signs with. */
  public String issuer() {
    return "https://127.0.0.1:" + http.port();
  }

  /** Its certificate, which nobody else signed (PEM). */
  public String authority() {
    return certificate.pem();
  }

  /** The service that sends people here from now on. */
  public void serves(Client to) {
    client = to;
  }

  /** What somebody is in from now on. */
  public void put(Person person) {
    people.put(person.name(), person);
  }

  /** Tells groups only to who asks for them with an access token. */
  public void groupsApart(boolean apart) {
    groupsApart = apart;
  }

  /** Has it lie in what it signs, for tests. */
  public void lies(UnaryOperator<JWTClaimsSet.Builder> about) {
    lie = about;
  }

  /** Signs with another key from now on; the one before is told no longer. */
  public void rotate() {
    try {
      RSAKey fresh = new RSAKeyGenerator(2048).keyID("key-" + secret().substring(0, 8)).generate();
      keys.add(0, fresh);
      while (keys.size() > 1) {
        keys.remove(1);
      }
    } catch (JOSEException e) {
      throw new IllegalStateException("every Java platform has RSA", e);
    }
  }

  private String secret() {
    byte[] bytes = new byte[24];
    random.nextBytes(bytes);
    return HexFormat.of().formatHex(bytes);
  }

  private void routes(RoutesConfig r) {
    r.get(
        "/.well-known/openid-configuration",
        ctx -> {
          Map<String, Object> told = new LinkedHashMap<>();
          told.put("issuer", issuer());
          told.put("authorization_endpoint", issuer() + "/authorize");
          told.put("token_endpoint", issuer() + "/token");
          told.put("userinfo_endpoint", issuer() + "/userinfo");
          told.put("jwks_uri", issuer() + "/keys");
          told.put("response_types_supported", List.of("code"));
          told.put("subject_types_supported", List.of("public"));
          told.put("id_token_signing_alg_values_supported", List.of("RS256"));
          told.put("code_challenge_methods_supported", List.of("S256"));
          told.put("authorization_response_iss_parameter_supported", true);
          json(ctx, 200, told);
        });
    r.get("/keys", ctx -> json(ctx, 200, new JWKSet(List.copyOf(keys)).toJSONObject()));
    r.get("/authorize", this::choose);
    r.get("/authorize/as", this::authorize);
    r.post("/token", this::token);
    r.get("/userinfo", this::userInfo);
  }

  private static void json(Context ctx, int status, Object told) throws IOException {
    ctx.status(status).contentType("application/json").result(JSON.writeValueAsBytes(told));
  }

  /** Whether the request is one that its client may send; otherwise nobody is sent anywhere. */
  private boolean known(Context ctx) {
    Client of = client;
    String wrong =
        of == null || !of.id().equals(ctx.queryParam("client_id"))
            ? "the client is not known here"
            : !of.knows(String.valueOf(ctx.queryParam("redirect_uri")))
                ? "the client does not have this address"
                : !"code".equals(ctx.queryParam("response_type"))
                    ? "only codes are given"
                    : !"S256".equals(ctx.queryParam("code_challenge_method"))
                            || ctx.queryParam("code_challenge") == null
                        ? "a code needs its challenge (S256)"
                        : !List.of(String.valueOf(ctx.queryParam("scope")).split(" "))
                                .contains("openid")
                            ? "the scope openid is missing"
                            : "";
    if (!wrong.isEmpty()) {
      ctx.status(400).contentType("text/plain").result(wrong + "\n");
    }
    return wrong.isEmpty();
  }

  private void choose(Context ctx) {
    if (!known(ctx)) {
      return;
    }
    StringBuilder page =
        new StringBuilder(
            "<!doctype html><html lang=en><title>Harbour Office</title>"
                + "<body style=\"font: 16px sans-serif; max-width: 30em; margin: 4em auto\">"
                + "<h1>Harbour Office</h1><p>Made-up people, who need no password. Sign in as:</p><ul>");
    for (Person p : people.values()) {
      page.append("<li><a href=\"/authorize/as?person=")
          .append(escape(p.name()))
          .append('&')
          .append(String.valueOf(ctx.queryString()).replace("&", "&amp;").replace("\"", "%22"))
          .append("\">")
          .append(html(p.name()))
          .append("</a>, ")
          .append(
              p.groups().isEmpty() ? "in no group" : "in " + html(String.join(", ", p.groups())))
          .append("</li>");
    }
    ctx.contentType("text/html; charset=utf-8").result(page + "</ul></body></html>");
  }

  private static String html(String text) {
    return text.replace("&", "&amp;").replace("<", "&lt;");
  }

  private static String escape(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8);
  }

  private void authorize(Context ctx) {
    if (!known(ctx)) {
      return;
    }
    Person person = people.get(String.valueOf(ctx.queryParam("person")));
    String back =
        ctx.queryParam("redirect_uri")
            + "?iss="
            + escape(issuer())
            + "&state="
            + escape(String.valueOf(ctx.queryParam("state")));
    if (person == null) {
      ctx.status(302).header("Location", back + "&error=access_denied");
      return;
    }
    String code = secret();
    codes.put(
        code,
        new Code(
            person,
            ctx.queryParam("code_challenge"),
            ctx.queryParam("nonce"),
            ctx.queryParam("redirect_uri"),
            Instant.now().plus(CODE_LIFE)));
    ctx.status(302).header("Location", back + "&code=" + code);
  }

  private void token(Context ctx) throws Exception {
    Client of = client;
    String basic =
        Base64.getEncoder()
            .encodeToString(
                (escape(of.id()) + ":" + escape(of.secret())).getBytes(StandardCharsets.UTF_8));
    if (!of.secret().isEmpty() && !("Basic " + basic).equals(ctx.header("Authorization"))) {
      json(ctx, 401, Map.of("error", "invalid_client"));
      return;
    }
    Code code = codes.remove(String.valueOf(ctx.formParam("code")));
    if (code == null
        || code.until.isBefore(Instant.now())
        || !code.redirect.equals(ctx.formParam("redirect_uri"))
        || !code.challenge.equals(challenge(String.valueOf(ctx.formParam("code_verifier"))))) {
      json(ctx, 400, Map.of("error", "invalid_grant"));
      return;
    }
    String token = secret();
    access.put(token, code.person);
    Map<String, Object> told = new LinkedHashMap<>();
    told.put("access_token", token);
    told.put("token_type", "Bearer");
    told.put("expires_in", TOKEN_LIFE.toSeconds());
    told.put("id_token", identity(code));
    ctx.header("Cache-Control", "no-store");
    json(ctx, 200, told);
  }

  private static String challenge(String verifier) throws NoSuchAlgorithmException {
    return Base64.getUrlEncoder()
        .withoutPadding()
        .encodeToString(
            MessageDigest.getInstance("SHA-256")
                .digest(verifier.getBytes(StandardCharsets.US_ASCII)));
  }

  private String identity(Code code) throws JOSEException {
    Instant now = Instant.now();
    JWTClaimsSet.Builder claims =
        new JWTClaimsSet.Builder()
            .issuer(issuer())
            .audience(client.id())
            .subject(code.person.subject())
            .issueTime(Date.from(now))
            .expirationTime(Date.from(now.plus(TOKEN_LIFE)))
            .claim("nonce", code.nonce)
            .claim("preferred_username", code.person.name());
    if (!groupsApart) {
      claims.claim("groups", code.person.groups());
    }
    RSAKey key = keys.get(0);
    SignedJWT signed =
        new SignedJWT(
            new JWSHeader.Builder(JWSAlgorithm.RS256).keyID(key.getKeyID()).build(),
            lie.apply(claims).build());
    signed.sign(new RSASSASigner(key));
    return signed.serialize();
  }

  private void userInfo(Context ctx) throws IOException {
    Optional<Person> person =
        Optional.ofNullable(ctx.header("Authorization"))
            .filter(h -> h.startsWith("Bearer "))
            .map(h -> access.get(h.substring(7)));
    if (person.isEmpty()) {
      json(ctx, 401, Map.of("error", "invalid_token"));
      return;
    }
    json(
        ctx,
        200,
        Map.of(
            "sub", person.get().subject(),
            "preferred_username", person.get().name(),
            "groups", person.get().groups()));
  }

  @Override
  public void close() {
    http.stop();
  }
}
