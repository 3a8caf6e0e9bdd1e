package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import org.junit.jupiter.api.Test;

class VolumeNamesTest {

  private static String volume(String machine) {
    MemberEntity m = new MemberEntity();
    m.name = machine;
    return VolumeNames.volume("leg-abc", m, 0);
  }

  @Test
  void aMachinesNameCanNotLeadElsewhere() {
    assertEquals("bl-leg-abc-lending-db-d0", volume("lending-db"));
    for (String name :
        List.of("../../etc/x", "a b", "a/b", "B\u00fccherei", "a\nb", "x".repeat(4000))) {
      String volume = volume(name);
      assertTrue(volume.matches("bl-leg-abc-[A-Za-z0-9._-]{1,160}-d0"), volume);
      MemberEntity m = new MemberEntity();
      m.name = name;
      assertTrue(VolumeNames.yard("run-abc", "look", m).matches("bl-run-abc-look-[A-Za-z0-9._-]+"));
    }
    assertNotEquals(volume("a b"), volume("a/b"), "names that differ are told apart");
    assertEquals(volume("a b"), volume("a b"));
  }
}
