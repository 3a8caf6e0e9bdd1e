package bargelane.service.account;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** A local account. */
@Entity
@Table(name = "account")
public class AccountEntity {

  @Id public String id;

  public String name;

  @Column(name = "password_hash")
  public String passwordHash;

  @Column(name = "created_at")
  public Instant createdAt;
}
