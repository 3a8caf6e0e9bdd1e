package bargelane.service.provider;

import bargelane.api.ProviderSet;
import bargelane.api.ProviderView;
import bargelane.api.SignInWays;
import bargelane.core.account.Need;
import bargelane.service.account.Tokens;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Endpoints.Redirect;
import bargelane.service.http.Reach;
import bargelane.service.http.Request;
import bargelane.service.platform.ProblemException;
import java.time.Duration;
import java.util.List;

/** Endpoints of the sign-in through an identity provider. */
public record ProviderApi(Providers providers, ProviderSignIn signIn) implements Endpoints.Room {

  /** Where the provider sends people back to, below the API. */
  static final String RETURN = "/sign-in/return";

  private static final String COOKIE = "bargelane-sign-in";

  @Override
  public void add(Endpoints e) {
    e.get("/sign-in", "How people can sign in", Need.NOTHING)
        .limited(Reach.ALL)
        .gives(SignInWays.class, r -> new SignInWays(providers.name()));
    e.get("/sign-in/begin", "Send a browser to the identity provider", Need.NOTHING)
        .limited(Reach.ALL)
        .redirects(this::begin);
    e.get(RETURN, "Take a browser back from the identity provider", Need.NOTHING)
        .limited(Reach.ALL)
        .anyQuery()
        .redirects(this::end);
    e.get("/sign-in/provider", "The identity provider, without its secret", Need.KEEP)
        .gives(ProviderView.class, r -> providers.view());
    e.put("/sign-in/provider", "Have people sign in through an identity provider", Need.KEEP)
        .changes(r -> providers.view())
        .takes(ProviderSet.class)
        .gives(ProviderView.class, (r, b) -> providers.set(b, r.by()));
    e.delete(
            "/sign-in/provider",
            "End the sign-in through the provider, and its people's sessions",
            Need.KEEP)
        .changes(r -> providers.view())
        .does(r -> providers.remove(r.by()));
  }

  private Redirect begin(Request r) {
    try {
      ProviderSignIn.Sent sent = signIn.begin();
      return new Redirect(
          sent.to().toString(),
          List.of(Endpoints.Cookie.lent(COOKIE, sent.cookie(), ProviderSignIn.PATIENCE)));
    } catch (ProblemException e) {
      return back(e);
    }
  }

  private Redirect end(Request r) {
    try {
      Tokens.Secret session =
          signIn.end(
              new ProviderSignIn.Brought(
                  r.any("state"), r.any("code"), r.any("error"), r.any("iss"), r.cookie(COOKIE)),
              r.caller().address());
      return new Redirect(
          "/",
          List.of(Endpoints.Cookie.lent(COOKIE, "", Duration.ZERO), Endpoints.Cookie.of(session)));
    } catch (ProblemException e) {
      return back(e);
    }
  }

  /** A browser has no use for a problem document: the console words the code. */
  private static Redirect back(ProblemException e) {
    return new Redirect(
        "/?refused=" + e.code(), List.of(Endpoints.Cookie.lent(COOKIE, "", Duration.ZERO)));
  }
}
