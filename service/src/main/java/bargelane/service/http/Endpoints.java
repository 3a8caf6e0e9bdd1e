package bargelane.service.http;

import bargelane.api.Page;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The endpoints of the API: one list that routes, access and the API's document are made from. What
 * an endpoint takes, is asked with and gives is checked by the compiler, so that the document can't
 * say otherwise.
 */
public final class Endpoints {

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

  public Route get(String path, String summary) {
    return new Route("GET", path, summary);
  }

  public Route post(String path, String summary) {
    return new Route("POST", path, summary);
  }

  public Route put(String path, String summary) {
    return new Route("PUT", path, summary);
  }

  public Route delete(String path, String summary) {
    return new Route("DELETE", path, summary);
  }

  /** An endpoint that is being described; the last call, which says what it gives, adds it. */
  public final class Route {
    private final String method;
    private final String path;
    private final String summary;
    private final List<Endpoint.Query> queries = new ArrayList<>();
    private boolean open;
    private boolean secret;

    private Route(String method, String path, String summary) {
      this.method = method;
      this.path = path;
      this.summary = summary;
    }

    /** A parameter of text; {@code otherwise} where it is left out. */
    public Route query(String name, String otherwise, String meaning) {
      queries.add(new Endpoint.Query(name, Endpoint.Kind.TEXT, otherwise, meaning));
      return this;
    }

    /** A parameter that is a whole number. */
    public Route number(String name, int otherwise, String meaning) {
      queries.add(
          new Endpoint.Query(name, Endpoint.Kind.NUMBER, String.valueOf(otherwise), meaning));
      return this;
    }

    /** A parameter that is true or, left out, false. */
    public Route flag(String name, String meaning) {
      queries.add(new Endpoint.Query(name, Endpoint.Kind.FLAG, "false", meaning));
      return this;
    }

    /** Parameters of a list that is read by pages. */
    public Route paged() {
      return number("page", 0, "number of the page, from 0")
          .number("size", 50, "entries a page, 1 to 500");
    }

    /** Without a sign-in. */
    public Route open() {
      open = true;
      return this;
    }

    /** Its answer holds a secret: it is told once and never stored. */
    public Route secret() {
      secret = true;
      return this;
    }

    /** With a body. */
    public <B> Bodied<B> takes(Class<B> type) {
      return new Bodied<>(this, type);
    }

    private void add(
        int status, Class<?> takes, Class<?> gives, Endpoint.Shape shape, BodyHandler<?, ?> does) {
      all.add(
          new Endpoint(
              method,
              path,
              summary,
              List.copyOf(queries),
              open,
              secret,
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
