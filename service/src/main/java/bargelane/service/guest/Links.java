package bargelane.service.guest;

import bargelane.core.guest.Survey;
import bargelane.core.guest.Survey.Link;
import bargelane.core.guest.SurveyFacts;
import bargelane.core.site.Conversation;
import bargelane.service.machine.SightingEntity;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.hibernate.Session;

/** The connections of a guest, look by look. */
final class Links {

  private Links() {}

  /**
   * Counts the connections that are open now and were not when the machine was looked at last. What
   * is still open is one connection, seen again.
   */
  static void count(
      Session s, GuestSink sink, SiteEntity site, String key, Survey survey, Instant now) {
    SightingEntity sighting = s.find(SightingEntity.class, new SightingEntity.Key(site.id, key));
    Set<Link> former = new HashSet<>(Json.read(sighting.links, new TypeReference<List<Link>>() {}));
    List<Conversation> seen = new ArrayList<>();
    List<Conversation> all = SurveyFacts.conversations(survey, now);
    for (int i = 0; i < all.size(); i++) {
      Conversation c = all.get(i);
      seen.add(
          former.contains(survey.links().get(i))
              ? new Conversation(
                  c.client(), c.server(), c.protocol(), c.port(), c.process(), 0, 0, now, now)
              : c);
    }
    if (!seen.isEmpty()) {
      sink.connections(s, site.id, seen);
    }
    String links = Json.text(survey.links());
    if (!links.equals(sighting.links)) {
      sighting.links = links;
    }
  }
}
