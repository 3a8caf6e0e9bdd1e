package bargelane.service.http;

import bargelane.api.EventView;
import bargelane.api.Health;
import bargelane.api.SignIn;
import bargelane.api.SignedIn;
import bargelane.service.account.Accounts;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import io.javalin.http.Cookie;
import io.javalin.http.SameSite;
import java.time.Clock;
import java.util.Optional;

/** Endpoints of whoever comes: signing in, the service's health, and what happened. */
public record AccessApi(Db db, Accounts accounts, Events events, Clock clock)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/health", "Whether the service works")
        .open()
        .gives(Health.class, r -> new Health("up", "0.1.0", clock.instant(), db.version()));
    e.post("/sign-in", "Sign in to the console")
        .open()
        .secret()
        .takes(SignIn.class)
        .gives(
            SignedIn.class,
            (r, in) -> {
              Accounts.Session session =
                  accounts.signIn(String.valueOf(in.account()), String.valueOf(in.password()));
              Cookie cookie = new Cookie(HttpApi.COOKIE, session.secret());
              cookie.setHttpOnly(true);
              cookie.setSameSite(SameSite.STRICT);
              cookie.setPath("/");
              r.ctx().cookie(cookie);
              return new SignedIn(in.account(), session.csrf());
            });
    e.post("/sign-out", "End the console's session")
        .does(
            r -> {
              Optional.ofNullable(r.ctx().cookie(HttpApi.COOKIE)).ifPresent(accounts::signOut);
              r.ctx().removeCookie(HttpApi.COOKIE);
            });
    e.get("/me", "Who is signed in")
        .gives(SignedIn.class, r -> new SignedIn(r.by(), r.caller().csrf()));
    e.get("/events", "Events after a number, oldest first")
        .number("after", 0, "the number of the last event that is known")
        .number("size", 200, "at most so many")
        .lists(EventView.class, r -> events.after(r.number("after"), r.number("size")));
  }
}
