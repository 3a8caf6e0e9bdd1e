package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.List;
import org.junit.jupiter.api.Test;

class JsonTest {

  private static Finding finding(Remedy remedy) {
    return new Finding(
        Finding.Code.SITE_UNREACHABLE, "annex", "no answer", remedy, Finding.Who.SITE_OWNER);
  }

  @Test
  void findingsAreStoredWithWhatTheyAskForAndReadBack() {
    List<Finding> all =
        List.of(
            finding(Remedy.of("store the right one", Action.CREDENTIAL_EDIT, "annex")),
            finding(Remedy.advice("see that it runs")),
            finding(Action.SITE_SCAN.of("annex")));
    assertEquals(all, Json.read(Json.text(all), new TypeReference<List<Finding>>() {}));
  }

  /** As versions before remedies had actions stored them. */
  @Test
  void aRemedyThatWasStoredAsTextIsAdvice() {
    String stored =
        "[{\"code\":\"SITE_UNREACHABLE\",\"thing\":\"annex\",\"cause\":\"no answer\","
            + "\"remedy\":\"see that it runs\",\"who\":\"SITE_OWNER\"}]";
    assertEquals(
        List.of(finding(Remedy.advice("see that it runs"))),
        Json.read(stored, new TypeReference<List<Finding>>() {}));
    Problem problem =
        Json.read(
            "{\"type\":\"about:blank\",\"title\":\"Load failed\",\"status\":500,"
                + "\"code\":\"no-room\",\"detail\":\"full\",\"remedy\":\"make room\"}",
            Problem.class);
    assertEquals(bargelane.api.Remedy.advice("make room"), problem.remedy());
    assertEquals(problem, Json.read(Json.text(problem), Problem.class));
  }

  @Test
  void aRemedyIsSentAsItIsReadAgain() {
    Remedy remedy = Remedy.of("bring them back", Action.WAVE_FAILBACK, "lending");
    assertEquals("wave-failback", Remedies.view(remedy).action());
    assertEquals(remedy, Remedies.read(Remedies.view(remedy)));
    assertEquals(Remedy.NONE, Remedies.read(bargelane.api.Remedy.NONE));
  }
}
