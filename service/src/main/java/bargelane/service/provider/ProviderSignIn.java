package bargelane.service.provider;

import bargelane.service.account.Accounts;
import bargelane.service.account.Audit;
import bargelane.service.account.Caller;
import bargelane.service.account.Rights;
import bargelane.service.account.Tokens;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Vault;
import com.nimbusds.oauth2.sdk.AuthorizationCode;
import com.nimbusds.oauth2.sdk.id.State;
import com.nimbusds.oauth2.sdk.pkce.CodeVerifier;
import com.nimbusds.openid.connect.sdk.Nonce;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.Optional;
import java.util.concurrent.Semaphore;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Signs people in through the identity provider. What a browser that is sent there is to bring back
 * is sealed in its cookie and kept nowhere else: any node can let it in, strangers leave nothing
 * behind, and an answer that was made for another browser is none for this.
 */
public final class ProviderSignIn {

  private static final Logger log = LoggerFactory.getLogger(ProviderSignIn.class);

  /** For how long somebody may be at the provider. */
  static final Duration PATIENCE = Duration.ofMinutes(10);

  /** What the sealed cookie is bound to. */
  private static final String SEAL = "sign-in-through-provider";

  /** The provider is asked for so many at once: each waits for an answer from elsewhere. */
  private static final int AT_ONCE = 8;

  private record Try(String state, String nonce, String verifier, Instant until) {}

  /** Where a browser is sent, and what it is to bring back. */
  record Sent(URI to, String cookie) {}

  /** What a browser brings back. */
  record Brought(String state, String code, String error, String issuer, String cookie) {}

  private final Semaphore asking = new Semaphore(AT_ONCE);
  private final Providers providers;
  private final Vault vault;
  private final Accounts accounts;
  private final Audit audit;
  private final Clock clock;

  public ProviderSignIn(
      Providers providers, Vault vault, Accounts accounts, Audit audit, Clock clock) {
    this.providers = providers;
    this.vault = vault;
    this.accounts = accounts;
    this.audit = audit;
    this.clock = clock;
  }

  /** Sends a browser to the provider. */
  Sent begin() {
    ProviderClient client = providers.client();
    State state = new State();
    Nonce nonce = new Nonce();
    CodeVerifier verifier = new CodeVerifier();
    URI to = asked(() -> client.begin(state, nonce, verifier));
    Try made =
        new Try(
            state.getValue(),
            nonce.getValue(),
            verifier.getValue(),
            clock.instant().plus(PATIENCE));
    return new Sent(
        to,
        Base64.getUrlEncoder().withoutPadding().encodeToString(vault.seal(SEAL, Json.text(made))));
  }

  /**
   * Begins a session for whoever the provider says comes back.
   *
   * @throws ProblemException if nobody is to be let in; why is in the audit, and in the log
   */
  Tokens.Secret end(Brought brought, String address) {
    ProviderClient client = providers.client();
    // Whoever began nothing here leaves nothing behind; who did is held back as with passwords.
    Try made = made(brought);
    accounts.beginThroughProvider(address);
    String account = "";
    try {
      if (!brought.issuer().isEmpty() && !brought.issuer().equals(client.provider().issuer())) {
        // RFC 9207, section 2.4.
        throw refused("the answer is from " + ProviderClient.word(brought.issuer()));
      }
      if (!brought.error().isEmpty()) {
        throw refused("it answers '" + ProviderClient.word(brought.error()) + "'");
      }
      if (brought.code().isEmpty()) {
        throw refused("it gave no code");
      }
      ProviderClient.Person person =
          asked(
              () ->
                  client.person(
                      new AuthorizationCode(brought.code()),
                      new Nonce(made.nonce),
                      new CodeVerifier(made.verifier)));
      account = person.name();
      Tokens.Secret session =
          accounts.signInThroughProvider(
              client.provider().issuer(),
              person.subject(),
              person.name(),
              client.provider().of(person.groups()).map(Rights::of),
              address);
      audit.signedIn(call(account, address));
      return session;
    } catch (ProblemException e) {
      log.warn("sign-in through the provider from {}: {}", address, e.getMessage());
      audit.refused(call(account, address), null, e.status(), e.code());
      throw e;
    }
  }

  private static Audit.Call call(String account, String address) {
    return new Audit.Call(
        Caller.nobody(address).as(account), "GET", "/api/v1" + ProviderApi.RETURN, "", "");
  }

  private static ProblemException refused(String why) {
    return new ProblemException(
        401,
        "provider-refused",
        "the identity provider did not let somebody in: " + why,
        "sign in again");
  }

  /** What was sealed when this browser was sent away. */
  private Try made(Brought brought) {
    Optional<Try> made = Optional.empty();
    try {
      made =
          Optional.of(
              Json.read(
                  vault.open(SEAL, Base64.getUrlDecoder().decode(brought.cookie())), Try.class));
    } catch (IllegalArgumentException | IllegalStateException | NegativeArraySizeException e) {
      // No cookie, or none of ours.
      log.debug("a browser brings no sign-in that was begun here: {}", e.getMessage());
    }
    return made.filter(
            t ->
                t.until.isAfter(clock.instant())
                    && MessageDigest.isEqual(
                        t.state.getBytes(StandardCharsets.UTF_8),
                        brought.state().getBytes(StandardCharsets.UTF_8)))
        .orElseThrow(
            () ->
                new ProblemException(
                    401,
                    "sign-in-not-begun",
                    "this browser did not begin a sign-in here, or took longer than "
                        + PATIENCE.toMinutes()
                        + " minutes",
                    "sign in again"));
  }

  private interface Asking<T> {
    T ask();
  }

  private <T> T asked(Asking<T> what) {
    if (!asking.tryAcquire()) {
      throw new ProblemException(
              429,
              "provider-busy",
              "as many sign-ins wait for the identity provider as may at once",
              "try again in a moment")
          .after(2);
    }
    try {
      return what.ask();
    } finally {
      asking.release();
    }
  }
}
