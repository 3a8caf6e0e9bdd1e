package bargelane.service.http;

import bargelane.api.EventView;
import bargelane.api.Health;
import bargelane.api.SignIn;
import bargelane.api.SignedIn;
import bargelane.core.account.Need;
import bargelane.core.account.Role;
import bargelane.service.account.Accounts;
import bargelane.service.account.Caller;
import bargelane.service.account.Tokens;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.tug.Tug;
import java.time.Clock;

/** Endpoints of whoever comes: signing in, the service's health, and what happened. */
public record AccessApi(Db db, Accounts accounts, Tokens tokens, Events events, Clock clock)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/health", "Whether the service works", Need.NOTHING)
        .limited(Reach.ALL)
        .gives(
            Health.class,
            r -> {
              db.reach();
              return new Health("up", Tug.VERSION, clock.instant());
            });
    e.get("/live", "Whether the service runs, whatever its database does", Need.NOTHING)
        .limited(Reach.ALL)
        .gives(Health.class, r -> new Health("up", Tug.VERSION, clock.instant()));
    e.post("/sign-in", "Sign in to the console", Need.NOTHING)
        .limited(Reach.ALL)
        .secret()
        .longest(16 << 10)
        .takes(SignIn.class)
        .gives(
            SignedIn.class,
            (r, in) -> {
              String account = String.valueOf(in.account());
              Tokens.Secret session =
                  accounts.signIn(account, String.valueOf(in.password()), r.caller().address());
              HttpApi.keep(r.ctx(), Endpoints.Cookie.of(session));
              Caller caller = tokens.caller(session.secret(), r.caller().address()).orElseThrow();
              return signedIn(caller);
            });
    e.post("/sign-out", "End the session or token that this comes with", Need.SIGN_IN)
        .limited(Reach.ALL)
        .does(
            r -> {
              tokens.end(r.caller());
              r.ctx().removeCookie(HttpApi.COOKIE);
            });
    e.get("/me", "Who is signed in", Need.SIGN_IN)
        .limited(Reach.ALL)
        .gives(SignedIn.class, r -> signedIn(r.caller()));
    e.get("/events", "Events after a number, oldest first", Need.READ)
        .limited(Reach.NARROWED)
        .position("after", "the number of the last event that is known")
        .first(200, 1000)
        .lists(EventView.class, r -> events.after(r.position("after"), r.number("size"), r.tows()));
  }

  private static SignedIn signedIn(Caller caller) {
    return new SignedIn(
        caller.account(),
        caller.csrf(),
        caller.roles().stream().sorted().map(Role::word).toList(),
        caller.machines());
  }
}
