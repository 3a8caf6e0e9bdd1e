package bargelane.service.provider;

import bargelane.service.platform.ProblemException;
import com.nimbusds.jose.JOSEException;
import com.nimbusds.jose.JWSAlgorithm;
import com.nimbusds.jose.RemoteKeySourceException;
import com.nimbusds.jose.jwk.source.JWKSource;
import com.nimbusds.jose.jwk.source.JWKSourceBuilder;
import com.nimbusds.jose.proc.BadJOSEException;
import com.nimbusds.jose.proc.JWSVerificationKeySelector;
import com.nimbusds.jose.proc.SecurityContext;
import com.nimbusds.jwt.JWT;
import com.nimbusds.oauth2.sdk.AuthorizationCode;
import com.nimbusds.oauth2.sdk.AuthorizationCodeGrant;
import com.nimbusds.oauth2.sdk.ParseException;
import com.nimbusds.oauth2.sdk.ResponseType;
import com.nimbusds.oauth2.sdk.Scope;
import com.nimbusds.oauth2.sdk.TokenRequest;
import com.nimbusds.oauth2.sdk.TokenResponse;
import com.nimbusds.oauth2.sdk.auth.ClientAuthenticationMethod;
import com.nimbusds.oauth2.sdk.auth.ClientSecretBasic;
import com.nimbusds.oauth2.sdk.auth.ClientSecretPost;
import com.nimbusds.oauth2.sdk.auth.Secret;
import com.nimbusds.oauth2.sdk.http.HTTPResponse;
import com.nimbusds.oauth2.sdk.id.ClientID;
import com.nimbusds.oauth2.sdk.id.Issuer;
import com.nimbusds.oauth2.sdk.id.State;
import com.nimbusds.oauth2.sdk.pkce.CodeChallengeMethod;
import com.nimbusds.oauth2.sdk.pkce.CodeVerifier;
import com.nimbusds.openid.connect.sdk.AuthenticationRequest;
import com.nimbusds.openid.connect.sdk.Nonce;
import com.nimbusds.openid.connect.sdk.OIDCTokenResponse;
import com.nimbusds.openid.connect.sdk.OIDCTokenResponseParser;
import com.nimbusds.openid.connect.sdk.UserInfoRequest;
import com.nimbusds.openid.connect.sdk.UserInfoResponse;
import com.nimbusds.openid.connect.sdk.claims.ClaimsSet;
import com.nimbusds.openid.connect.sdk.claims.IDTokenClaimsSet;
import com.nimbusds.openid.connect.sdk.op.OIDCProviderMetadata;
import com.nimbusds.openid.connect.sdk.validators.IDTokenValidator;
import java.io.IOException;
import java.net.URI;
import java.time.Duration;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Talks to one identity provider: OpenID Connect Core 1.0 (section 3.1, code flow) with PKCE (RFC
 * 7636), its addresses by OpenID Connect Discovery 1.0 (section 4). Its keys are read again when
 * one is used that is not known, and every {@value #KEYS_MINUTES} minutes.
 */
final class ProviderClient {

  private static final Logger log = LoggerFactory.getLogger(ProviderClient.class);
  private static final int KEYS_MINUTES = 15;
  private static final int MOST_GROUPS = 2000;
  private static final long METADATA_NS = TimeUnit.HOURS.toNanos(1);

  /** How an identity may be signed: by a key that only the provider has. */
  private static final Set<JWSAlgorithm> SIGNED =
      Set.of(
          JWSAlgorithm.RS256,
          JWSAlgorithm.RS384,
          JWSAlgorithm.RS512,
          JWSAlgorithm.PS256,
          JWSAlgorithm.PS384,
          JWSAlgorithm.PS512,
          JWSAlgorithm.ES256,
          JWSAlgorithm.ES384,
          JWSAlgorithm.ES512);

  /** Somebody, as the provider tells of them. */
  record Person(String subject, String name, Set<String> groups) {}

  private final Provider provider;
  private final String secret;
  private final ProviderWire wire;
  private OIDCProviderMetadata metadata;
  private long readAt;
  private JWKSource<SecurityContext> keys;
  private URI keysAt;

  /**
   * @param secret this service's secret there; empty for none
   */
  ProviderClient(Provider provider, String secret) {
    this.provider = provider;
    this.secret = secret;
    try {
      this.wire = new ProviderWire(provider.authority());
    } catch (IOException e) {
      throw ProblemException.invalid(
          "authority-malformed", e.getMessage(), "give the certificates of authorities in PEM");
    }
  }

  Provider provider() {
    return provider;
  }

  /** Whether it talks to this one, with this secret. */
  boolean is(Provider other, String itsSecret) {
    return provider.equals(other) && secret.equals(itsSecret);
  }

  /** What the provider tells of itself, once an hour. */
  synchronized OIDCProviderMetadata metadata() {
    if (metadata != null && System.nanoTime() - readAt < METADATA_NS) {
      return metadata;
    }
    try {
      OIDCProviderMetadata told =
          OIDCProviderMetadata.parse(wire.get(URI.create(wellKnown(provider.issuer()))));
      if (!told.getIssuer().getValue().equals(provider.issuer())) {
        throw new IOException("it calls itself " + told.getIssuer());
      }
      if (told.getAuthorizationEndpointURI() == null
          || told.getTokenEndpointURI() == null
          || told.getJWKSetURI() == null) {
        throw new IOException("it does not tell its endpoints for codes, tokens and keys");
      }
      if (!told.getJWKSetURI().equals(keysAt)) {
        keysAt = told.getJWKSetURI();
        keys =
            JWKSourceBuilder.<SecurityContext>create(keysAt.toURL(), wire)
                .cache(
                    Duration.ofMinutes(KEYS_MINUTES).toMillis(), Duration.ofSeconds(15).toMillis())
                .refreshAheadCache(false)
                .rateLimited(Duration.ofSeconds(5).toMillis())
                .build();
      }
      metadata = told;
      readAt = System.nanoTime();
      return told;
    } catch (IOException | ParseException e) {
      if (metadata == null) {
        throw unreachable(e);
      }
      // Its addresses seldom change: what it told before is good for another while.
      log.warn("{} does not tell of itself: {}", provider.issuer(), String.valueOf(e.getMessage()));
      readAt = System.nanoTime();
      return metadata;
    }
  }

  private static String wellKnown(String issuer) {
    return (issuer.endsWith("/") ? issuer.substring(0, issuer.length() - 1) : issuer)
        + "/.well-known/openid-configuration";
  }

  private ProblemException unreachable(Exception e) {
    return new ProblemException(
        502,
        "provider-unreachable",
        "the identity provider "
            + provider.name()
            + " can't be asked: "
            + (e.getMessage() == null ? "nobody answers there" : e.getMessage()),
        "see whether the service reaches "
            + provider.issuer()
            + ", and whose certificate it shows");
  }

  private ProblemException refused(String why) {
    return new ProblemException(
        401,
        "provider-refused",
        "the identity provider " + provider.name() + " did not let somebody in: " + why,
        "sign in again; if it happens again, look at how this service is registered there");
  }

  /** Where a browser is sent to for its user to sign in. */
  URI begin(State state, Nonce nonce, CodeVerifier verifier) {
    Scope scope = new Scope("openid");
    provider.scopes().forEach(scope::add);
    return new AuthenticationRequest.Builder(
            ResponseType.CODE,
            scope,
            new ClientID(provider.client()),
            URI.create(provider.redirect()))
        .endpointURI(metadata().getAuthorizationEndpointURI())
        .state(state)
        .nonce(nonce)
        .codeChallenge(verifier, CodeChallengeMethod.S256)
        .build()
        .toURI();
  }

  /**
   * Who a code is for.
   *
   * @throws ProblemException if the provider does not take the code, or what it tells can't be
   *     trusted
   */
  Person person(AuthorizationCode code, Nonce nonce, CodeVerifier verifier) {
    OIDCProviderMetadata told = metadata();
    try {
      OIDCTokenResponse tokens = tokens(told, code, verifier);
      JWT identity = tokens.getOIDCTokens().getIDToken();
      if (identity == null) {
        throw refused("it gave no identity");
      }
      IDTokenClaimsSet claims =
          new IDTokenValidator(
                  new Issuer(provider.issuer()),
                  new ClientID(provider.client()),
                  new JWSVerificationKeySelector<>(SIGNED, keys),
                  null)
              .validate(identity, nonce);
      Optional<ClaimsSet> more = Optional.empty();
      if (claims.getClaim(provider.groupsClaim()) == null
          && told.getUserInfoEndpointURI() != null) {
        more = Optional.of(userInfo(told, tokens, claims));
      }
      return person(claims, more);
    } catch (BadJOSEException e) {
      throw refused("its word can't be trusted: " + e.getMessage());
    } catch (RemoteKeySourceException e) {
      throw unreachable(e);
    } catch (JOSEException | ParseException e) {
      throw refused("its answer can't be read: " + e.getMessage());
    } catch (IOException e) {
      throw unreachable(e);
    }
  }

  private OIDCTokenResponse tokens(
      OIDCProviderMetadata told, AuthorizationCode code, CodeVerifier verifier)
      throws IOException, ParseException {
    AuthorizationCodeGrant grant =
        new AuthorizationCodeGrant(code, URI.create(provider.redirect()), verifier);
    ClientID client = new ClientID(provider.client());
    URI at = told.getTokenEndpointURI();
    List<ClientAuthenticationMethod> takes = told.getTokenEndpointAuthMethods();
    boolean post =
        takes != null
            && !takes.contains(ClientAuthenticationMethod.CLIENT_SECRET_BASIC)
            && takes.contains(ClientAuthenticationMethod.CLIENT_SECRET_POST);
    TokenRequest request =
        secret.isEmpty()
            ? new TokenRequest.Builder(at, client, grant).build()
            : new TokenRequest.Builder(
                    at,
                    post
                        ? new ClientSecretPost(client, new Secret(secret))
                        : new ClientSecretBasic(client, new Secret(secret)),
                    grant)
                .build();
    HTTPResponse answer = request.toHTTPRequest().send(wire);
    TokenResponse parsed = OIDCTokenResponseParser.parse(answer);
    if (!parsed.indicatesSuccess()) {
      String error = String.valueOf(parsed.toErrorResponse().getErrorObject().getCode());
      throw refused("it answers '" + word(error) + "' to the code");
    }
    return (OIDCTokenResponse) parsed.toSuccessResponse();
  }

  private ClaimsSet userInfo(
      OIDCProviderMetadata told, OIDCTokenResponse tokens, IDTokenClaimsSet claims)
      throws IOException, ParseException {
    UserInfoResponse answer =
        UserInfoResponse.parse(
            new UserInfoRequest(
                    told.getUserInfoEndpointURI(), tokens.getOIDCTokens().getBearerAccessToken())
                .toHTTPRequest()
                .send(wire));
    if (!answer.indicatesSuccess() || answer.toSuccessResponse().getUserInfo() == null) {
      throw refused("it tells nothing of who signed in");
    }
    ClaimsSet more = answer.toSuccessResponse().getUserInfo();
    // OpenID Connect Core 1.0, section 5.3.4: it must be of the same person.
    if (!Objects.equals(more.getStringClaim("sub"), claims.getSubject().getValue())) {
      throw refused("it tells of somebody else than who signed in");
    }
    return more;
  }

  private Person person(IDTokenClaimsSet claims, Optional<ClaimsSet> more) {
    String name =
        Stream.of("preferred_username", "email")
            .flatMap(
                c ->
                    Stream.concat(
                        Stream.ofNullable(claims.getStringClaim(c)),
                        more.map(m -> m.getStringClaim(c)).stream()))
            .filter(Objects::nonNull)
            .findFirst()
            .orElse(claims.getSubject().getValue());
    String claim = provider.groupsClaim();
    Object groups =
        Optional.ofNullable(claims.getClaim(claim))
            .orElseGet(() -> more.map(m -> m.getClaim(claim)).orElse(null));
    Set<String> in = new HashSet<>();
    if (groups instanceof String one) {
      in.addAll(Arrays.asList(one.split("[, ]+")));
      in.add(one);
    } else if (groups instanceof List<?> many) {
      many.stream()
          .limit(MOST_GROUPS)
          .filter(String.class::isInstance)
          .forEach(g -> in.add((String) g));
    }
    return new Person(claims.getSubject().getValue(), name.toLowerCase(Locale.ROOT), in);
  }

  /** An error's code, as far as it is one (RFC 6749, section 5.2). */
  static String word(String told) {
    return told.replaceAll("[^A-Za-z0-9_. -]", "?").substring(0, Math.min(60, told.length()));
  }
}
