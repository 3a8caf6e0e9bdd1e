package bargelane.service.http;

import bargelane.service.account.Caller;
import bargelane.service.platform.ProblemException;
import io.javalin.http.Context;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/** One call of an endpoint. */
public final class Request {

  private static final int LONGEST = 4000;

  private final Context ctx;
  private final Caller caller;
  private final Endpoint endpoint;
  private final Limits limits;

  /**
   * @throws ProblemException if it has a parameter that the endpoint does not know
   */
  Request(Context ctx, Caller caller, Endpoint endpoint, Limits limits) {
    this.ctx = ctx;
    this.caller = caller;
    this.endpoint = endpoint;
    this.limits = limits;
    ctx.pathParamMap().forEach((name, value) -> printable(name, value));
    ctx.queryParamMap().forEach((name, values) -> values.forEach(v -> printable(name, v)));
    List<String> known = endpoint.queries().stream().map(Endpoint.Query::name).toList();
    for (String name : ctx.queryParamMap().keySet()) {
      if (!known.contains(name) && !endpoint.anyQuery()) {
        throw new ProblemException(
            400,
            "parameter-unknown",
            endpoint.method() + " " + endpoint.path() + " has no parameter '" + name + "'",
            known.isEmpty() ? "leave it out" : "use one of " + String.join(", ", known));
      }
    }
  }

  /** Names and filters have no control characters, and are no books. */
  private static void printable(String name, String value) {
    if (value == null) {
      return;
    }
    if (value.length() > LONGEST) {
      throw ProblemException.invalid(
          "parameter-too-long",
          "'" + name + "' has more than " + LONGEST + " characters",
          "give a shorter one");
    }
    if (value.codePoints().anyMatch(Character::isISOControl)) {
      throw ProblemException.invalid(
          "parameter-malformed",
          "'" + name + "' has a character that can't be printed",
          "leave it out");
    }
  }

  /** Who calls. */
  public String by() {
    return caller.account();
  }

  public Caller caller() {
    return caller;
  }

  /** The machines that whoever calls is limited to, as a filter; empty for all. */
  public String machines() {
    return narrowed(caller.machines());
  }

  /** Ids of the tows that whoever calls is limited to, if they are limited. */
  public Optional<Set<String>> tows() {
    return narrowed(caller.tows(limits::tows));
  }

  private <T> T narrowed(T by) {
    if (endpoint.reach() != Reach.NARROWED) {
      throw new IllegalStateException(
          endpoint.method() + " " + endpoint.path() + " does not declare that it narrows");
    }
    return by;
  }

  /** A part of the path. */
  public String path(String name) {
    return ctx.pathParam(name);
  }

  /** A part of the path that is a number from 0 to 9999. */
  public int index(String name) {
    String text = path(name);
    if (!text.matches("[0-9]{1,4}")) {
      throw new ProblemException(
          400, "number-malformed", "'" + text + "' is not the index of a " + name, "give a number");
    }
    return Integer.parseInt(text);
  }

  private Endpoint.Query declared(String name, Endpoint.Kind kind) {
    return endpoint.queries().stream()
        .filter(q -> q.name().equals(name) && q.kind() == kind)
        .findFirst()
        .orElseThrow(
            () ->
                new IllegalStateException(
                    endpoint.method() + " " + endpoint.path() + " does not declare " + name));
  }

  /** A parameter of text, or what stands for it where it is left out or empty. */
  public String query(String name) {
    Endpoint.Query q = declared(name, Endpoint.Kind.TEXT);
    String value = ctx.queryParam(name);
    return value == null || value.isEmpty() ? q.otherwise() : value;
  }

  /** A parameter of an endpoint that others make up the query of; empty if it is left out. */
  public String any(String name) {
    if (!endpoint.anyQuery()) {
      throw new IllegalStateException(endpoint.path() + " declares what it is asked with");
    }
    String value = ctx.queryParam(name);
    return value == null ? "" : value;
  }

  /** What a browser keeps by a name; empty if it keeps nothing. */
  public String cookie(String name) {
    String value = ctx.cookie(name);
    return value == null ? "" : value;
  }

  public int number(String name) {
    return Math.toIntExact(position(name));
  }

  /** A whole number that may be larger than an int. */
  public long position(String name) {
    Endpoint.Query q = declared(name, Endpoint.Kind.NUMBER);
    String value = ctx.queryParam(name);
    if (value == null) {
      return Long.parseLong(q.otherwise());
    }
    long number;
    try {
      number = Long.parseLong(value);
    } catch (NumberFormatException e) {
      throw new ProblemException(
          400,
          "number-malformed",
          "'" + value + "' for '" + name + "' is not a whole number",
          "give one");
    }
    if (number < q.least() || number > q.most()) {
      throw ProblemException.invalid(
          "number-out-of-range",
          "'" + name + "' can't be " + number,
          "give " + q.least() + " to " + q.most());
    }
    return number;
  }

  public boolean flag(String name) {
    declared(name, Endpoint.Kind.FLAG);
    String value = ctx.queryParam(name);
    if (value != null && !value.equals("true") && !value.equals("false")) {
      throw new ProblemException(
          400,
          "flag-malformed",
          "'" + value + "' for '" + name + "' is neither true nor false",
          "give true, or leave it out");
    }
    return "true".equals(value);
  }

  /** The revision that an edit goes by (RFC 9110, section 13.1.1); none if it names none. */
  public Optional<Long> revision() {
    String tag = ctx.header("If-Match");
    if (tag == null) {
      return Optional.empty();
    }
    String number = tag.replace("\"", "");
    if (!number.matches("[0-9]{1,18}")) {
      throw new ProblemException(
          400,
          "etag-malformed",
          "If-Match must be the ETag that was read, not " + tag,
          "read it again");
    }
    return Optional.of(Long.parseLong(number));
  }

  /** Tells the revision of what is given. */
  public void tag(long revision) {
    ctx.header("ETag", "\"" + revision + "\"");
  }

  Context ctx() {
    return ctx;
  }
}
