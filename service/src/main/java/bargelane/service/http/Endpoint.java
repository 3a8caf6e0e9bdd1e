package bargelane.service.http;

import bargelane.core.account.Need;
import java.util.List;
import java.util.Set;

/**
 * One endpoint of the API.
 *
 * @param anyQuery whether it may be asked with what it does not know
 * @param needs what whoever calls must be allowed, one of these
 * @param reach what of it is for an account that is limited to some machines
 * @param before reads what it is to change as it stands, for the audit; gives null where that is
 *     nothing to tell
 * @param secret whether its answer may never be stored
 * @param longest bytes that its body may have
 * @param heavy whether it takes long: few of these are done at once
 * @param status of success; 204 where it gives nothing
 * @param takes what its body is; {@code Void} for none, {@code byte[]} as it is
 * @param gives what one of its answer is; {@code Void} for nothing
 */
record Endpoint(
    String method,
    String path,
    String summary,
    List<Query> queries,
    boolean anyQuery,
    Set<Need> needs,
    Reach reach,
    Endpoints.Handler<?> before,
    boolean secret,
    int longest,
    boolean heavy,
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

  /** A parameter of the query; a number's least and most. */
  record Query(String name, Kind kind, String otherwise, String meaning, long least, long most) {}

  /** Reads the body and does the work; null is nothing. */
  Object handle(Request request, byte[] body) throws Exception {
    return handle(request, takes, does, body);
  }

  @SuppressWarnings("unchecked")
  private static <B> Object handle(
      Request request, Class<B> takes, Endpoints.BodyHandler<?, ?> does, byte[] body)
      throws Exception {
    B read =
        takes == Void.class ? null : takes == byte[].class ? (B) body : Bodies.parse(body, takes);
    return ((Endpoints.BodyHandler<B, ?>) does).handle(request, read);
  }
}
