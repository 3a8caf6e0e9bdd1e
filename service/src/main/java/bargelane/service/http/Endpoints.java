package bargelane.service.http;

import bargelane.api.Page;
import bargelane.core.account.Need;
import bargelane.service.account.Tokens;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * The endpoints of the API: one list that routes, access and the API's document are made from. What
 * an endpoint takes, is asked with and gives is checked by the compiler, so that the document can't
 * say otherwise.
 */
public final class Endpoints {

  /** Bytes of a body where an endpoint says nothing else. */
  private static final int USUAL_BODY = 2 << 20;

  /** Bytes of a body that is a list to import. */
  public static final int LIST_BODY = 32 << 20;

  private static final int LONGEST_PAGE = 500;
  private static final int MOST_PAGES = 1_000_000;

  /** What an endpoint does without a body. */
  @FunctionalInterface
  public interface Handler<T> {
    T handle(Request request) throws Exception;
  }

  /** What an endpoint does with a body. */
  @FunctionalInterface
  public interface BodyHandler<B, T> {
    T handle(Request request, B body) throws Exception;
  }

  /** What an endpoint does that gives nothing. */
  @FunctionalInterface
  public interface Action {
    void act(Request request) throws Exception;
  }

  /** What an endpoint does with a body that gives nothing. */
  @FunctionalInterface
  public interface BodyAction<B> {
    void act(Request request, B body) throws Exception;
  }

  /** An answer that is no JSON: a page or a list to keep. */
  public record Document(String contentType, String text) {}

  /**
   * A browser is to go elsewhere.
   *
   * @param cookies what it is to keep from now on
   */
  public record Redirect(String to, List<Cookie> cookies) {}

  /**
   * Something a browser keeps: out of the reach of scripts, and sent over TLS only.
   *
   * @param seconds how long; 0 for no longer, less for as long as it is open
   * @param strict whether it stays away when another site sends the browser here
   */
  public record Cookie(String name, String value, int seconds, boolean strict) {

    /** A session. */
    public static Cookie of(Tokens.Secret session) {
      return new Cookie(HttpApi.COOKIE, session.secret(), -1, true);
    }

    /** What it is to bring back when another site sends it here. */
    public static Cookie lent(String name, String value, Duration life) {
      return new Cookie(name, value, (int) life.toSeconds(), false);
    }
  }

  /** The endpoints of one room. */
  @FunctionalInterface
  public interface Room {
    void add(Endpoints endpoints);
  }

  private final List<Endpoint> all = new ArrayList<>();

  public List<Endpoint> all() {
    return List.copyOf(all);
  }

  /** The API's OpenAPI 3 document. */
  public String openApi() {
    return OpenApi.document(all());
  }

  public Route get(String path, String summary, Need need, Need... or) {
    return new Route("GET", path, summary, EnumSet.of(need, or));
  }

  public Route post(String path, String summary, Need need, Need... or) {
    return new Route("POST", path, summary, EnumSet.of(need, or));
  }

  public Route put(String path, String summary, Need need, Need... or) {
    return new Route("PUT", path, summary, EnumSet.of(need, or));
  }

  public Route delete(String path, String summary, Need need, Need... or) {
    return new Route("DELETE", path, summary, EnumSet.of(need, or));
  }

  /** An endpoint that is being described; the last call, which says what it gives, adds it. */
  public final class Route {
    private final String method;
    private final String path;
    private final String summary;
    private final List<Endpoint.Query> queries = new ArrayList<>();
    private final Set<Need> needs;
    private Reach reach = Reach.NONE;
    private Handler<?> before;
    private boolean secret;
    private boolean anyQuery;
    private int longest = USUAL_BODY;
    private boolean heavy;

    private Route(String method, String path, String summary, Set<Need> needs) {
      this.method = method;
      this.path = path;
      this.summary = summary;
      this.needs = needs;
    }

    /** A parameter of text; {@code otherwise} where it is left out. */
    public Route query(String name, String otherwise, String meaning) {
      queries.add(new Endpoint.Query(name, Endpoint.Kind.TEXT, otherwise, meaning, 0, 0));
      return this;
    }

    /** A parameter that is a whole number of 0 or more. */
    public Route number(String name, int otherwise, String meaning) {
      return number(name, otherwise, meaning, 0, Integer.MAX_VALUE);
    }

    /** A parameter that is the number of an event, an entry or the like: there may be very many. */
    public Route position(String name, String meaning) {
      return number(name, 0, meaning, 0, Long.MAX_VALUE);
    }

    private Route number(String name, int otherwise, String meaning, long least, long most) {
      queries.add(
          new Endpoint.Query(
              name, Endpoint.Kind.NUMBER, String.valueOf(otherwise), meaning, least, most));
      return this;
    }

    /** How many of the first entries are given. */
    public Route first(int otherwise) {
      return first(otherwise, LONGEST_PAGE);
    }

    /** How many of the first entries are given, and may be. */
    public Route first(int otherwise, int most) {
      return number("size", otherwise, "at most so many, 1 to " + most, 1, most);
    }

    /** A parameter that is true or, left out, false. */
    public Route flag(String name, String meaning) {
      queries.add(new Endpoint.Query(name, Endpoint.Kind.FLAG, "false", meaning, 0, 0));
      return this;
    }

    /** Parameters of a list that is read by pages. */
    public Route paged() {
      return number("page", 0, "number of the page, from 0", 0, MOST_PAGES)
          .number("size", 50, "entries a page, 1 to 500", 1, LONGEST_PAGE);
    }

    /** What of it is for an account that is limited to some machines; nothing unless said. */
    public Route limited(Reach to) {
      if (!to.part().isEmpty() && !path.contains("{" + to.part() + "}")) {
        throw new IllegalArgumentException(path + " names no " + to.part());
      }
      reach = to;
      return this;
    }

    /** Reads what it is to change as it stands, for the audit. */
    public Route changes(Handler<?> reads) {
      before = reads;
      return this;
    }

    /** Its answer holds a secret: it is told once and never stored. */
    public Route secret() {
      secret = true;
      return this;
    }

    /** Others make up what it is asked with: what is not known is no mistake. */
    public Route anyQuery() {
      anyQuery = true;
      return this;
    }

    /** Its body may be as long as this, in bytes. */
    public Route longest(int bytes) {
      longest = bytes;
      return this;
    }

    /** It computes for long, or over much: few such calls are done at once. */
    public Route heavy() {
      heavy = true;
      return this;
    }

    /** With a body. */
    public <B> Bodied<B> takes(Class<B> type) {
      return new Bodied<>(this, type);
    }

    private void add(
        int status, Class<?> takes, Class<?> gives, Endpoint.Shape shape, BodyHandler<?, ?> does) {
      if (before == null && Set.of("PUT", "DELETE").contains(method)) {
        throw new IllegalStateException(method + " " + path + " declares nothing that it changes");
      }
      all.add(
          new Endpoint(
              method,
              path,
              summary,
              List.copyOf(queries),
              anyQuery,
              Set.copyOf(needs),
              reach,
              before == null ? r -> null : before,
              secret,
              longest,
              heavy,
              status,
              takes,
              gives,
              shape,
              does));
    }

    private void add(int status, Class<?> gives, Endpoint.Shape shape, Handler<?> does) {
      add(status, Void.class, gives, shape, (r, nothing) -> does.handle(r));
    }

    public <T> void gives(Class<T> type, Handler<T> does) {
      add(200, type, Endpoint.Shape.ONE, does);
    }

    /** Gives one, or 204 where there is none. */
    public <T> void maybe(Class<T> type, Handler<Optional<T>> does) {
      add(200, type, Endpoint.Shape.ONE, r -> does.handle(r).orElse(null));
    }

    /** Work begins: 202 with its run. */
    public <T> void begins(Class<T> type, Handler<T> does) {
      add(202, type, Endpoint.Shape.ONE, does);
    }

    public <T> void lists(Class<T> type, Handler<List<T>> does) {
      add(200, type, Endpoint.Shape.LIST, does);
    }

    public <T> void pages(Class<T> type, Handler<Page<T>> does) {
      add(200, type, Endpoint.Shape.PAGE, does);
    }

    /** Sends a browser elsewhere. */
    public void redirects(Handler<Redirect> does) {
      add(303, Redirect.class, Endpoint.Shape.ONE, does);
    }

    public void document(Handler<Document> does) {
      add(200, Document.class, Endpoint.Shape.ONE, does);
    }

    public void does(Action action) {
      add(
          204,
          Void.class,
          Endpoint.Shape.ONE,
          r -> {
            action.act(r);
            return null;
          });
    }
  }

  /** An endpoint with a body. */
  public static final class Bodied<B> {
    private final Route route;
    private final Class<B> type;

    private Bodied(Route route, Class<B> type) {
      this.route = route;
      this.type = type;
    }

    public <T> void gives(Class<T> gives, BodyHandler<B, T> does) {
      route.add(200, type, gives, Endpoint.Shape.ONE, does);
    }

    /** Gives one, or 204 where there is none. */
    public <T> void maybe(Class<T> gives, BodyHandler<B, Optional<T>> does) {
      BodyHandler<B, T> one = (r, b) -> does.handle(r, b).orElse(null);
      route.add(200, type, gives, Endpoint.Shape.ONE, one);
    }

    /** Something new is there: 201. */
    public <T> void creates(Class<T> gives, BodyHandler<B, T> does) {
      route.add(201, type, gives, Endpoint.Shape.ONE, does);
    }

    /** Work begins: 202 with its run. */
    public <T> void begins(Class<T> gives, BodyHandler<B, T> does) {
      route.add(202, type, gives, Endpoint.Shape.ONE, does);
    }

    public <T> void lists(Class<T> gives, BodyHandler<B, List<T>> does) {
      route.add(200, type, gives, Endpoint.Shape.LIST, does);
    }

    public void does(BodyAction<B> action) {
      BodyHandler<B, Object> nothing =
          (r, b) -> {
            action.act(r, b);
            return null;
          };
      route.add(204, type, Void.class, Endpoint.Shape.ONE, nothing);
    }
  }
}
