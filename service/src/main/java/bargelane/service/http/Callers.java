package bargelane.service.http;

import bargelane.core.account.Need;
import bargelane.core.account.Role;
import bargelane.service.account.Caller;
import bargelane.service.account.Tokens;
import bargelane.service.platform.ProblemException;
import io.javalin.http.Context;
import io.javalin.http.HandlerType;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * Finds who calls, and whether they may. Programs come with a bearer token; the console with a
 * session's cookie and, for writes, the session's CSRF value.
 */
final class Callers {

  private final Tokens tokens;

  Callers(Tokens tokens) {
    this.tokens = tokens;
  }

  /**
   * Who calls.
   *
   * @throws ProblemException 401 if nobody that is known, 403 if it may not do what needs one of
   *     these, or a session's write does not carry its value
   */
  Caller allowed(Context ctx, Set<Need> needs) {
    Caller caller = known(ctx, needs);
    mayDo(caller, needs);
    return caller;
  }

  /** Who calls, whatever they may do; nobody where nobody need be known. */
  Caller known(Context ctx, Set<Need> needs) {
    return needs.contains(Need.NOTHING) ? Caller.nobody(ctx.ip()) : known(ctx);
  }

  /** Refuses whoever may not do what needs one of these. */
  static void mayDo(Caller caller, Set<Need> needs) {
    if (!caller.may(needs)) {
      throw ProblemException.notAllowed(
          caller.account() + " may not do this: it needs " + words(needs),
          "ask a keeper for the role, or sign in as somebody who has it");
    }
  }

  /** Refuses whoever is limited to some machines. */
  static void unlimited(Caller caller) {
    if (!caller.machines().isEmpty()) {
      throw new ProblemException(
          403,
          "account-limited",
          caller.account()
              + " is limited to machines of '"
              + caller.machines()
              + "', and this is about more",
          "ask somebody who is not limited, or a keeper to lift the limit");
    }
  }

  private Caller known(Context ctx) {
    String header = ctx.header("Authorization");
    boolean bearer = header != null && header.regionMatches(true, 0, "Bearer ", 0, 7);
    String secret = bearer ? header.substring(7).strip() : ctx.cookie(HttpApi.COOKIE);
    Optional<Caller> known = secret == null ? Optional.empty() : tokens.caller(secret, ctx.ip());
    if (known.isEmpty()) {
      throw new ProblemException(
          401,
          "not-signed-in",
          secret == null
              ? "this needs a sign-in"
              : "the session or token is not known or has ended",
          "sign in, or give a token");
    }
    Caller caller = known.get();
    boolean session = caller.kind() == Caller.Kind.SESSION;
    if (session == bearer) {
      // A session's secret is for its cookie, and a token's is not.
      throw new ProblemException(
          401,
          "not-signed-in",
          bearer ? "a session is no token" : "a token is no session",
          "sign in, or give a token");
    }
    if (session && writes(ctx.method()) && !caller.csrf().equals(ctx.header("X-CSRF"))) {
      throw new ProblemException(
          403,
          "csrf-missing",
          "a write from the console must carry its session's X-CSRF value",
          "sign in again");
    }
    return caller;
  }

  private static boolean writes(HandlerType method) {
    return !method.equals(HandlerType.GET) && !method.equals(HandlerType.HEAD);
  }

  private static String words(Set<Need> needs) {
    List<String> roles =
        Role.ofPeople().stream()
            .filter(r -> needs.stream().anyMatch(r::allows))
            .map(Role::word)
            .toList();
    return roles.isEmpty()
        ? "a tug's token"
        : "the role " + roles.stream().collect(Collectors.joining(" or "));
  }
}
