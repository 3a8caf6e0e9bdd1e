package bargelane.service.http;

import java.util.List;

/**
 * One endpoint of the API.
 *
 * @param open whether it is called without a sign-in
 * @param secret whether its answer may never be stored
 * @param status of success; 204 where it gives nothing
 * @param takes what its body is; {@code Void} for none, {@code byte[]} as it is
 * @param gives what one of its answer is; {@code Void} for nothing
 */
record Endpoint(
    String method,
    String path,
    String summary,
    List<Query> queries,
    boolean open,
    boolean secret,
    int status,
    Class<?> takes,
    Class<?> gives,
    Shape shape,
    Endpoints.BodyHandler<?, ?> does) {

  /** How many of what it gives are in an answer. */
  enum Shape {
    ONE,
    LIST,
    PAGE
  }

  /** What a parameter may be. */
  enum Kind {
    TEXT,
    NUMBER,
    FLAG
  }

  /** A parameter of the query. */
  record Query(String name, Kind kind, String otherwise, String meaning) {}

  /** Reads the body and does the work; null is nothing. */
  Object handle(Request request, byte[] body) throws Exception {
    return handle(request, takes, does, body);
  }

  @SuppressWarnings("unchecked")
  private static <B> Object handle(
      Request request, Class<B> takes, Endpoints.BodyHandler<?, ?> does, byte[] body)
      throws Exception {
    B read =
        takes == Void.class ? null : takes == byte[].class ? (B) body : Bodies.read(body, takes);
    return ((Endpoints.BodyHandler<B, ?>) does).handle(request, read);
  }
}
