package bargelane.core.account;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.net.Address;
import java.time.Duration;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;

class RoleTest {

  @Test
  void aRoleAllowsItsOwnAndATugNothingOfPeople() {
    assertTrue(Role.allow(Set.of(Role.MOVER), Set.of(Need.PLAN, Need.MOVE)));
    assertFalse(Role.allow(Set.of(Role.MOVER, Role.PLANNER), Set.of(Need.KEEP)));
    assertTrue(Role.allow(Set.of(Role.APPROVER), Set.of(Need.READ)));
    assertTrue(Role.allow(Set.of(), Set.of(Need.NOTHING)));
    assertFalse(Role.allow(Set.of(), Set.of(Need.SIGN_IN)));
    for (Need need : Need.values()) {
      assertEquals(need == Need.CARRY || need == Need.NOTHING, Role.TUG.allows(need), need.word());
    }
    assertFalse(Role.ofPeople().contains(Role.TUG));
  }

  @Test
  void waitsGrowAndHaveAnEnd() {
    assertEquals(Duration.ZERO, SignInWait.PAIR.after(2));
    assertEquals(Duration.ofSeconds(1), SignInWait.PAIR.after(3));
    assertEquals(Duration.ofSeconds(8), SignInWait.PAIR.after(6));
    assertEquals(Duration.ofSeconds(60), SignInWait.PAIR.after(9));
    for (SignInWait wait : SignInWait.values()) {
      assertEquals(wait.longest(), wait.after(Integer.MAX_VALUE));
    }
  }

  @Test
  void aPasswordIsLongAndMadeOfSomething() {
    assertEquals(Optional.empty(), Passwords.weakness("ada", "correct horse"));
    assertTrue(Passwords.weakness("ada", "correct hor").isPresent());
    assertTrue(Passwords.weakness("horse", "correct HORSE battery").isPresent());
    assertTrue(Passwords.weakness("ada", "abcdabcdabcd").isPresent());
    assertTrue(Passwords.weakness("ada", "é".repeat(40)).isPresent());
    assertFalse(Passwords.readable("a\0b"));
  }

  @Test
  void whoHasASubnetOfIpv6HasOneAddress() {
    assertEquals(Address.holder("2001:db8::1"), Address.holder("2001:db8:0:0:ffff::2"));
    assertFalse(Address.holder("2001:db8::1").equals(Address.holder("2001:db8:0:1::1")));
    assertEquals("192.0.2.7", Address.holder("192.0.2.7"));
    assertEquals("no address", Address.holder("no address"));
  }
}
