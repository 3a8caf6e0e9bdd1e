package bargelane.service.http;

import bargelane.service.account.Accounts.Caller;
import io.javalin.http.Context;
import java.util.ArrayList;
import java.util.List;

/**
 * The endpoints of the API: one list that routes, access and the OpenAPI document are made from.
 */
public final class Endpoints {

  /** Who may call. */
  public enum Access {
    OPEN,
    SIGNED_IN
  }

  /** What an endpoint does; a null answer is 204. */
  @FunctionalInterface
  public interface Handler {
    Object handle(Request request) throws Exception;
  }

  /** An answer that is no JSON: a page or a list to keep. */
  public record Document(String contentType, String text) {}

  /** One call. */
  public record Request(Context ctx, Caller caller, byte[] body) {
    public String path(String name) {
      return ctx.pathParam(name);
    }

    public String query(String name) {
      String value = ctx.queryParam(name);
      return value == null ? "" : value;
    }

    public int number(String name, int otherwise) {
      String value = ctx.queryParam(name);
      if (value == null) {
        return otherwise;
      }
      try {
        return Integer.parseInt(value);
      } catch (NumberFormatException e) {
        throw new ProblemException(
            400,
            "number-malformed",
            "'" + value + "' for '" + name + "' is not a whole number",
            "give one");
      }
    }

    public <T> T body(Class<T> type) {
      return Bodies.read(body, type);
    }
  }

  /**
   * One endpoint. {@code status} is that of success; {@code takes} and {@code gives} may be {@code
   * Void}.
   */
  public record Endpoint(
      String method,
      String path,
      Access access,
      int status,
      String summary,
      Class<?> takes,
      Class<?> gives,
      boolean list,
      Handler handler) {}

  private final List<Endpoint> all = new ArrayList<>();

  public void add(
      String method,
      String path,
      int status,
      String summary,
      Class<?> takes,
      Class<?> gives,
      boolean list,
      Handler handler) {
    all.add(
        new Endpoint(method, path, Access.SIGNED_IN, status, summary, takes, gives, list, handler));
  }

  public void open(
      String method,
      String path,
      int status,
      String summary,
      Class<?> takes,
      Class<?> gives,
      Handler handler) {
    all.add(new Endpoint(method, path, Access.OPEN, status, summary, takes, gives, false, handler));
  }

  public List<Endpoint> all() {
    return all;
  }
}
