package bargelane.service.http;

import bargelane.core.account.Need;
import bargelane.service.account.Audit;
import bargelane.service.account.Caller;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import io.javalin.http.Context;
import java.io.IOException;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.StreamSupport;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

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

  /** What a machine is named by in lists of what is chosen for each. */
  private static final List<String> MACHINE = List.of("machine", "machineId", "id", "name");

  /** Longer bodies are told by their length. */
  private static final int LONGEST = 64 << 10;

  private static final Logger log = LoggerFactory.getLogger(Audited.class);

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
          new Audit.Call(caller, e.method(), ctx.path(), "", ""),
          null,
          refused.status(),
          refused.code());
      throw refused;
    }
  }

  /** Does what a call asks, with its entry before. */
  void call(Context ctx, Endpoint e, Caller caller, Request request, byte[] body, Act act)
      throws Exception {
    if (!enters(e)) {
      act.act();
      return;
    }
    boolean open = e.needs().contains(Need.NOTHING);
    String shown = shown(body);
    Audit.Call call =
        new Audit.Call(
            open ? claimed(caller, body) : caller,
            e.method(),
            ctx.path(),
            open ? "" : before(e, request, body),
            shown);
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

  /**
   * What stands there that a call is to change: the fields that its body names, or all if it names
   * none of them; of a list what is of the machine that the body names, or decided of what the body
   * decides.
   */
  private static String before(Endpoint e, Request request, byte[] body) {
    try {
      JsonNode stands = Json.MAPPER.valueToTree(e.before().handle(request));
      if (stands == null || stands.isNull() || stands.isMissingNode()) {
        return "";
      }
      JsonNode asked =
          body.length == 0 || body.length > LONGEST ? null : Json.MAPPER.readTree(body);
      if (stands instanceof ObjectNode object && asked instanceof ObjectNode fields) {
        ObjectNode named = object.deepCopy();
        named.retain(
            fields.properties().stream()
                .filter(f -> !f.getValue().isNull())
                .map(Map.Entry::getKey)
                .collect(Collectors.toSet()));
        named.properties().forEach(f -> among(f.getValue(), fields.get(f.getKey())));
        stands = named.isEmpty() ? object : named;
      } else if (stands instanceof ArrayNode list && asked != null && asked.has("machine")) {
        ArrayNode own = list.arrayNode();
        String machine = asked.get("machine").asText();
        list.forEach(
            one -> {
              if (MACHINE.stream().anyMatch(f -> one.path(f).asText().equals(machine))) {
                own.add(one);
              }
            });
        stands = own;
      }
      mask(stands);
      return stands.toString();
    } catch (Exception nothing) {
      // It is not there, or the body is none: the call itself is refused for that.
      log.debug("what stands before {} {}", e.method(), e.path(), nothing);
      return "";
    }
  }

  /** Leaves of a list of decisions those that a list of changes is about. */
  private static void among(JsonNode stands, JsonNode asked) {
    if (stands instanceof ArrayNode list && asked instanceof ArrayNode changes) {
      list.removeIf(
          one ->
              one.has("setting")
                  && StreamSupport.stream(changes.spliterator(), false)
                      .noneMatch(change -> about(one, change)));
    }
  }

  private static boolean about(JsonNode decision, JsonNode change) {
    String of = change.path("of").asText("");
    return decision.path("scope").equals(change.path("scope"))
        && decision.path("setting").equals(change.path("setting"))
        && (of.equals(decision.path("of").asText()) || of.equals(decision.path("name").asText()));
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
