package bargelane.service.http;

import bargelane.core.account.Need;
import bargelane.service.account.Audit;
import bargelane.service.account.Caller;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import io.javalin.http.Context;
import java.io.IOException;
import java.util.Map;
import java.util.Set;

/**
 * Enters into the audit what calls ask to be changed, before it is begun, and what is refused or
 * fails. Reading is not entered, nor is what tugs report of the bytes that they carry.
 */
final class Audited {

  /** What is never kept. */
  private static final Set<String> SECRET =
      Set.of("password", "current", "secret", "token", "passphrase");

  /** What is too long to be kept. */
  private static final Set<String> LONG = Set.of("csv", "yaml", "ranges");

  /** Longer bodies are told by their length. */
  private static final int LONGEST = 64 << 10;

  private final Audit audit;

  Audited(Audit audit) {
    this.audit = audit;
  }

  /** Something that may be refused. */
  interface Act {
    void act() throws Exception;
  }

  private static boolean enters(Endpoint e) {
    return !e.method().equals("GET") && !e.needs().contains(Need.CARRY);
  }

  /** Enters that somebody may not do what they ask, of whatever call. */
  void ifRefused(Context ctx, Endpoint e, Caller caller, Act act) throws Exception {
    try {
      act.act();
    } catch (ProblemException refused) {
      audit.refused(
          new Audit.Call(caller, e.method(), ctx.path(), ""),
          null,
          refused.status(),
          refused.code());
      throw refused;
    }
  }

  /** Does what a call asks, with its entry before. */
  void call(Context ctx, Endpoint e, Caller caller, byte[] body, Act act) throws Exception {
    if (!enters(e)) {
      act.act();
      return;
    }
    boolean open = e.needs().contains(Need.NOTHING);
    String shown = shown(body);
    Audit.Call call =
        new Audit.Call(open ? claimed(caller, body) : caller, e.method(), ctx.path(), shown);
    // Of strangers only sign-ins are entered, and those that failed, which make the next ones wait:
    // nobody may fill the audit without an account.
    Long entry = open ? null : audit.asked(call);
    try {
      act.act();
      if (open) {
        audit.signedIn(call);
      }
    } catch (ProblemException refused) {
      if (open ? refused.status() == 401 : refused.status() != 429) {
        audit.refused(call, entry, refused.status(), refused.code());
      }
      throw refused;
    } catch (Exception failed) {
      if (!open) {
        audit.refused(call, entry, 500, "failed");
      }
      throw failed;
    }
  }

  /** A stranger with the account that they say they are. */
  private static Caller claimed(Caller stranger, byte[] body) {
    try {
      JsonNode account = Json.MAPPER.readTree(body).path("account");
      return stranger.as(account.asText(""));
    } catch (IOException e) {
      return stranger;
    }
  }

  private static String shown(byte[] body) {
    if (body.length == 0) {
      return "";
    }
    if (body.length > LONGEST) {
      return body.length + " bytes";
    }
    try {
      JsonNode told = Json.MAPPER.readTree(body);
      mask(told);
      return told.toString();
    } catch (JacksonException e) {
      return body.length + " bytes that are no JSON";
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  private static void mask(JsonNode node) {
    if (node instanceof ObjectNode object) {
      for (Map.Entry<String, JsonNode> field : object.properties()) {
        if (SECRET.contains(field.getKey()) && !field.getValue().isNull()) {
          field.setValue(Json.MAPPER.getNodeFactory().textNode("(not kept)"));
        } else if (LONG.contains(field.getKey()) && field.getValue().isTextual()) {
          field.setValue(
              Json.MAPPER
                  .getNodeFactory()
                  .textNode("(" + field.getValue().textValue().length() + " characters)"));
        }
      }
    }
    node.forEach(Audited::mask);
  }
}
